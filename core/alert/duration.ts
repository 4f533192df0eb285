import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'

/** Milliseconds of an ISO 8601 duration without months and years; undefined where it is none. */
export function lengthOf(duration: string): number | undefined {
  try {
    const read = Temporal.Duration.from(duration)
    if (read.years !== 0 || read.months !== 0 || read.sign < 0) return undefined
    return read.total({ unit: 'milliseconds', relativeTo: Temporal.PlainDate.from('2000-01-01') })
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
