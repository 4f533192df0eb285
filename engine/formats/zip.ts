import { Writable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import yauzl from 'yauzl'
import { fail } from '../../core/fault'
import { ownLimits } from './bounds'

/** What an archive may unpack to, in bytes; and how many times its own size, beyond the first 64 MB. */
const most = 4 * 2 ** 30
const mostTimes = 200

/**
 * Unpacks an archive once without keeping anything, and refuses one that unpacks to more than it should or is damaged:
 * sizes that the archive states are held against what comes out.
 * @throws FaultError `file`
 */
export async function checkZip(path: string, name: string): Promise<void> {
  const zip = await new Promise<yauzl.ZipFile>((resolve, reject) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false }, (error, file) =>
      error ? reject(error) : resolve(file),
    ),
  ).catch((error: Error) => fail('file', `${name} cannot be unpacked: ${error.message}`))
  const entries = ownLimits().entries
  if (zip.entryCount > entries) {
    zip.close()
    fail('file', `${name} holds ${zip.entryCount.toLocaleString('en')} files, and at most ${entries.toLocaleString('en')} are unpacked; MATTOCK_ARCHIVE_ENTRIES sets the limit`) // prettier-ignore
  }
  let stated = 0
  let packed = 0
  try {
    await new Promise<void>((resolve, reject) => {
      zip.on('error', reject)
      zip.on('end', resolve)
      zip.on('entry', (entry: yauzl.Entry) => {
        stated += entry.uncompressedSize
        packed += entry.compressedSize
        if (stated > most || (stated > 64 * 2 ** 20 && stated > packed * mostTimes)) {
          const megabytes = Math.round(stated / 2 ** 20).toLocaleString('en')
          return reject(new Error(`it would unpack to ${megabytes} MB and more, which no sheet needs`))
        }
        zip.openReadStream(entry, (error, stream) => {
          if (error) return reject(error)
          const nowhere = new Writable({ write: (_chunk, _encoding, done) => done() })
          pipeline(stream, nowhere).then(() => zip.readEntry(), reject)
        })
      })
      zip.readEntry()
    })
  } catch (error) {
    fail('file', `${name} cannot be unpacked: ${(error as Error).message}`)
  } finally {
    zip.close()
  }
}
