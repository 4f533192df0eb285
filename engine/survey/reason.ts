import { FaultError } from '../../core/fault'

/** A fault in a few words, without paths of this machine. */
export function reasonOf(error: unknown): string {
  if (error instanceof FaultError) return error.fault.message
  const { code, message } = error as { code?: string; message: string }
  if (code === 'EACCES') return 'it may not be read'
  if (code === 'ENOENT') return 'it went away while it was read'
  if (/gzip|GZIP|miniz|decompress|deflate/i.test(message))
    return 'gzip that cannot be unpacked to its end: it is broken off or damaged'
  if (/Maximum line size|LINE SIZE/i.test(message)) return 'a line of more than 2 MB, which no table has'
  if (/maximum_object_size/i.test(message))
    return 'a document of more than 64 MB, or a record of more than 8 MB; parts of it cannot be read alone'
  if (/parquet/i.test(message)) return `a Parquet file that is damaged: ${firstLine(message)}`
  if (/Malformed JSON|json/i.test(message)) return `no JSON that can be read: ${firstLine(message)}`
  return firstLine(message)
}

const firstLine = (message: string): string =>
  (message.split('\n')[0] ?? message).replace(/"?\/[^"\s]*\/([^"/\s]+)"?/g, '$1').slice(0, 200)
