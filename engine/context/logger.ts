import pino from 'pino'
import { tell } from './tell'

export type Logger = pino.Logger

/**
 * A log of JSON lines on standard error, from the level MATTOCK_LOG on (`warn` where it is not set). Lines about a
 * run, a load or a step carry their ids as `run`, `load`, `step`; errors are whole.
 */
export const openLog = (part: string): Logger =>
  pino(
    {
      level: process.env.MATTOCK_LOG ?? 'warn',
      base: { part, pid: process.pid },
      serializers: { error: pino.stdSerializers.err },
    },
    { write: tell },
  )
