import { FaultError } from '../../core/fault'
import { firstLine, readerWords } from '../formats/readerWords'

/** A fault in a few words, without paths of this machine. */
export function reasonOf(error: unknown): string {
  if (error instanceof FaultError) return error.fault.message
  const { code, message } = error as { code?: string; message: string }
  if (code === 'EACCES') return 'it may not be read'
  if (code === 'ENOENT') return 'it went away while it was read'
  return readerWords(message) ?? firstLine(message)
}
