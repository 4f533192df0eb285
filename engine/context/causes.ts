import { FaultError } from '../../core/fault'
import { mayPass } from '../connectors/postgres/tables'
import { StepFault } from './step'

/** What one end of a pipe says only because the other end is gone. */
const onlyPipe = /EPIPE|ECANCELED|Broken pipe|broken pipe|premature close|aborted|INTERRUPT|write after end|Could not write to file .*mattock-pipe/i // prettier-ignore
const sqlState = /^[0-9A-Z]{5}$/

/** How much an error tells of why something broke off: more is better. */
function tells(error: Error & { code?: string }): number {
  if (error instanceof StepFault || error instanceof FaultError) return 5
  if (isFull(error)) return 4
  if (sqlState.test(error.code ?? '')) return 3
  if (onlyPipe.test(`${error.code ?? ''} ${error.message}`)) return 0
  return mayPass(error) ? 2 : 1
}

/** Of the errors of the two ends of a pipe, the one that is the cause of the other. */
export function causeAmong(...errors: readonly (Error | undefined)[]): Error {
  const [first, ...others] = errors.filter((error) => error !== undefined)
  return others.reduce((best, error) => (tells(error) > tells(best) ? error : best), first!)
}

/** Is there no room left where it was written? */
export const isFull = ({ code, message }: { code?: string | undefined; message: string }): boolean =>
  code === 'ENOSPC' ||
  code === 'EDQUOT' ||
  code === '53100' ||
  /No space left on device|Disk quota exceeded/i.test(message)
