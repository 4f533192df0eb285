import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'
import { lengthOf, lengthSchema } from './duration'
import { field } from '../field/field'
import { cronFault, cronTimes, cronWords } from './cron'
import { lengthWords } from './words'
import { zoneFault } from './zone'

/** How a pause comes again and again: the hours of upkeep, the first days of a month. */
export const againSchema = z.strictObject({
  cron: field(z.string().superRefine((cron, { addIssue }) => said(cronFault(cron), addIssue)), { label: 'begins', usual: '0 2 * * sun' })
    .describe('minute, hour, day of the month, month, day of the week; names may be used (crontab)'),
  zone: z
    .string()
    .superRefine((zone, { addIssue }) => said(zoneFault(zone), addIssue))
    .describe('IANA time zone whose clock it begins by'),
  lasts: field(lengthSchema('PT1M', 'P31D'), { usual: 'PT4H' })
    .describe('ISO 8601 duration; days are those of the calendar, hours are as long as hours are'),
}).superRefine((again, { addIssue }) => {
  if (overlaps(again)) addIssue({ code: 'custom', path: ['lasts'], message: 'it would begin again before it is over: let it last shorter, or pause once and without an end' })
}) // prettier-ignore

const said = (fault: string | undefined, addIssue: (message: string) => void) => {
  if (fault !== undefined) addIssue(fault)
}

export type Again = z.output<typeof againSchema>

/** A span of time, in milliseconds since 1970; it goes on at its first, and no longer at its end. */
export interface Span {
  readonly from: number
  /** Infinity: until somebody ends it. */
  readonly until: number
}

/** Does it begin again before it is over, among its next hundred times? Those would be no spans, and many. */
function overlaps(again: Again): boolean {
  if (cronFault(again.cron) !== undefined || zoneFault(again.zone) !== undefined || !lengthOf(again.lasts)) return false
  const begin = Date.UTC(2026, 0, 1)
  const times = cronTimes({ expression: again.cron, zone: again.zone }, begin, begin + 10 * 366 * 86_400_000, 100)
  return times.some((at, place) => place > 0 && at < endOf(again, times[place - 1]!))
} // prettier-ignore

/** When a pause is: in one span, or within it again and again. */
export interface PauseTimes extends Span {
  readonly again?: Again | null | undefined
  /** What of it began before this is over since then: somebody ended it that once. */
  readonly passed?: number | null | undefined
}

/** Milliseconds ahead that the next of a pause is looked for: the 29th of February is the rarest. */
export const farthest = 9 * 366 * 86_400_000

const piece = 40 * 86_400_000

/** The longest that one can be behind the time at which it began. */
const longest = (again: Again): number => lengthOf(again.lasts)! + 3_600_000

const endOf = ({ zone, lasts }: Again, from: number): number =>
  Temporal.Instant.fromEpochMilliseconds(from).toZonedDateTimeISO(zone).add(lasts).epochMilliseconds

/** The spans of a pause that go on or begin after a time and up to another, in order, at most `limit` of them. */
export function pauseSpans(pause: PauseTimes, after: number, until: number, limit = Infinity): Span[] {
  const { again, passed } = pause
  if (!again) return pause.from <= until && pause.until > after ? [{ from: pause.from, until: pause.until }] : []
  const spans: Span[] = []
  const last = Math.min(until, pause.until - 1)
  // looked for piece by piece: a few of the next are asked for more often than all
  for (let at = Math.max(after, pause.from) - longest(again); at < last && spans.length < limit; at += piece) {
    for (const began of cronTimes({ expression: again.cron, zone: again.zone }, at, Math.min(at + piece, last))) {
      const whole = Math.min(endOf(again, began), pause.until)
      const end = passed != null && began < passed ? Math.min(whole, passed) : whole
      const from = Math.max(began, pause.from)
      if (end > Math.max(after, from)) spans.push({ from, until: end })
    }
  }
  return spans.slice(0, limit)
} // prettier-ignore

/** What of a pause goes on at a time: of spans that lie over each other, the one that ends last. */
export function pauseSpanAt(pause: PauseTimes, at: number): Span | undefined {
  if (pause.from > at || pause.until <= at) return undefined
  return pauseSpans(pause, at, at).reduce<Span | undefined>(
    (last, one) => (last && last.until >= one.until ? last : one),
    undefined,
  )
}

/** How it comes again, in words: `at 02:00, only on Sunday, for 4 h, by the clock of Europe/Oslo`. */
export const againWords = (again: Again): string =>
  `${cronWords(again.cron)}, for ${lengthWords(lengthOf(again.lasts)!)}, by the clock of ${again.zone}`
