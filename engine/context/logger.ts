import { inspect } from 'node:util'
import pino from 'pino'
import { Repeats } from './repeats'
import { tell } from './tell'

export type Logger = pino.Logger

/**
 * A log of JSON lines on standard error, from the level MATTOCK_LOG on (`warn` where it is not set). Lines about a
 * run, a load or a step carry their ids as `run`, `load`, `step`; errors are whole. A warning or an error that says the
 * same of the same thing again is written once an hour, with how often it came since as `again`.
 */
export const openLog = (part: string): Logger => {
  const repeats = new Repeats()
  return pino(
    {
      level: process.env.MATTOCK_LOG ?? 'warn',
      base: { part, pid: process.pid },
      serializers: { error: pino.stdSerializers.err },
      hooks: {
        logMethod(args, method, level) {
          if (level < pino.levels.values.warn!) return method.apply(this, args)
          const [first, ...rest] = args as unknown[]
          const again = repeats.seen(
            inspect([level, this.bindings(), of(first), ...rest], {
              depth: 5,
              maxArrayLength: 20,
              maxStringLength: 2000,
            }),
          )
          if (again === undefined) return
          const told = again > 0 && isFields(first) ? [{ ...first, again }, ...rest] : args
          method.apply(this, told as typeof args)
        },
      },
    },
    { write: tell },
  )
}

const isFields = (given: unknown): given is object =>
  typeof given === 'object' && given !== null && !(given instanceof Error)

/** What a line is about: an error by its message, and not the number of a try. */
function of(given: unknown): unknown {
  if (given instanceof Error) return given.message
  if (!isFields(given)) return given
  return Object.entries(given).flatMap(([name, value]) =>
    name === 'attempt' ? [] : [[name, value instanceof Error ? value.message : (value as unknown)]],
  )
}
