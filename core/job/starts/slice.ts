import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'
import { movedDuration } from '../../schedule/move'
import { closingsBetween } from '../../slice/slices'
import { everyText, spanText } from '../../slice/words'
import { defineStart } from './definition'

export const slice = defineStart({
  words: 'when a slice is over',
  schema: z
    .strictObject({
      later: z.string().optional().describe('ISO 8601 duration to wait besides the grace of the slices'),
    })
    .describe('each slice when it is over, and its grace has gone by'),
  fresh: {},
  text: ({ later }, { slices }) => {
    const waits = [slices?.grace, later].flatMap((one) => (one === undefined ? [] : spanText(one))).join(' and ')
    return `${slices ? everyText(slices.every) : 'each slice'}, ${waits ? `${waits} after it is over` : 'when it is over'}`
  },
  fault: ({ later }, { slices }) => {
    if (!slices) return { path: '', message: 'the job has no slices that could be over' }
    if (milliseconds(later) !== undefined) return undefined
    return { path: 'later', message: `"${later}" is no ISO 8601 duration of days or less; half an hour is PT30M` }
  },
  // a slice is not taken before it is over
  moved: ({ later }, at, to) => {
    const waits = movedDuration(later, at, to)
    return waits === undefined ? undefined : waits === '' ? {} : { later: waits }
  },
  times: ({ later }, { slices }, after, until, limit) => {
    const wait = milliseconds(later) ?? 0
    if (!slices) return []
    return closingsBetween(slices, after - wait, until - wait, limit).map((one) => ({ ...one, at: one.at + wait }))
  },
}) // prettier-ignore

/** Undefined for what is no length of time; days count 24 hours. */
function milliseconds(duration = 'PT0S'): number | undefined {
  try {
    return Temporal.Duration.from(duration).total('milliseconds')
  } catch {
    return undefined
  }
}
