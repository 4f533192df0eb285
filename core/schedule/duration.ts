import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'

/** What was read before: a rule is judged again and again. */
const read = new Map<string, number | undefined>()
const mostRead = 1000

/** Milliseconds of an ISO 8601 duration without months and years; undefined where it is none. */
export function lengthOf(duration: string): number | undefined {
  if (read.has(duration)) return read.get(duration)
  if (read.size >= mostRead) read.clear()
  const length = readLength(duration)
  read.set(duration, length)
  return length
}

function readLength(duration: string): number | undefined {
  try {
    const given = Temporal.Duration.from(duration)
    if (given.years !== 0 || given.months !== 0 || given.sign < 0) return undefined
    return given.total({ unit: 'milliseconds', relativeTo: Temporal.PlainDate.from('2000-01-01') })
  } catch {
    return undefined
  }
}

/** A length of time as ISO 8601 writes it. */
export const lengthSchema = (least: string, most: string) =>
  z.string().refine(
    (text) => {
      const length = lengthOf(text)
      return length !== undefined && length >= lengthOf(least)! && length <= lengthOf(most)!
    },
    { message: `an ISO 8601 duration from ${least} to ${most}, such as PT30M or PT4H` },
  )
