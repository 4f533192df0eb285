import { randomUUID } from 'node:crypto'
import { createReadStream, createWriteStream } from 'node:fs'
import { access, mkdir, rename, rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createGunzip, createGzip } from 'node:zlib'
import type { Engine } from '../context/engine'
import type { Outcome } from '../context/step'

/** Bytes of a piece, and of all of a step's rejects, packed. */
const [pieceSize, most] = [4 << 20, 256 << 20]

/**
 * Sends the rejects of a step to Mattock's own store, where this worker's data folder is not the server's: else nobody could look
 * at them. What is too large stays where it is, and the record says where.
 */
export async function sendHome(engine: Engine, load: number, step: string, outcome: Outcome): Promise<void> {
  if (engine.home || outcome.rejectFile === null) return
  const { $client } = engine.db
  const full = join(engine.dataFolder, 'rejects', outcome.rejectFile)
  await $client.query('delete from mattock.reject_file where load_id = $1 and step = $2', [load, step])
  let piece = 0
  let held: Buffer[] = []
  let size = 0
  const send = async () => {
    if (held.length === 0) return
    await $client.query(
      'insert into mattock.reject_file (load_id, step, piece, content) values ($1, $2, $3, $4)',
      [load, step, piece++, Buffer.concat(held)],
    )
    held = []
    size = 0
  }
  const packed = createReadStream(full).pipe(createGzip())
  for await (const chunk of packed as AsyncIterable<Buffer>) {
    held.push(chunk)
    size += chunk.length
    if (size >= pieceSize) await send()
    if (piece * pieceSize < most) continue
    await $client.query('delete from mattock.reject_file where load_id = $1 and step = $2', [load, step])
    outcome.log.push(`its rejects are too many to be sent: they are on this worker’s machine, in ${full}`)
    packed.destroy()
    return
  }
  await send()
}

/** Lays rejects down that a worker elsewhere sent, where they are not in this folder yet. */
export async function fetchHome(engine: Engine, load: number, step: string, full: string): Promise<void> {
  if (await access(full).then(() => true, () => false)) return // prettier-ignore
  const { $client } = engine.db
  const { rows } = await $client.query<{ pieces: number }>(
    'select count(*)::int as pieces from mattock.reject_file where load_id = $1 and step = $2',
    [load, step],
  )
  if (rows[0]!.pieces === 0) return
  const pieces = async function* () {
    for (let piece = 0; piece < rows[0]!.pieces; piece++) {
      const { rows: one } = await $client.query<{ content: Buffer }>(
        'select content from mattock.reject_file where load_id = $1 and step = $2 and piece = $3',
        [load, step, piece],
      )
      yield one[0]!.content
    }
  }
  await mkdir(dirname(full), { recursive: true })
  // two who look at the same moment lay it down each for themselves
  const own = `${full}.${randomUUID()}.part`
  try {
    await pipeline(Readable.from(pieces()), createGunzip(), createWriteStream(own))
    await rename(own, full)
  } finally {
    await rm(own, { force: true })
  }
}
