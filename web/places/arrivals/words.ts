import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import type { ArrivalState } from '../../../core/arrivals/arrival'
import type { BarState } from '../../look/Bars'
import { clock, lengthText, timeText } from '../../look/times'

export type Arrivals = Answer<typeof routes.arrivals>
export type Arrival = Arrivals['newest'][number]
export type Stray = Arrivals['strays'][number]
export type Habit = NonNullable<Arrival['habit']>

/** States of files in words, and how they are drawn. */
export const shown: Record<ArrivalState, { readonly words: string; readonly state: BarState; readonly capped: number }> = {
  expected: { words: 'expected', state: 'expected', capped: 0 },
  here: { words: 'here', state: 'waiting', capped: 0 },
  loaded: { words: 'loaded', state: 'loaded', capped: 0 },
  late: { words: 'late', state: 'late', capped: 0 },
  missing: { words: 'missing', state: 'missing', capped: 0 },
  empty: { words: 'empty', state: 'empty', capped: 0 },
  again: { words: 'came again', state: 'loaded', capped: 0.35 },
  without: { words: 'goes without it', state: 'skipped', capped: 0 },
  unasked: { words: 'not asked for', state: 'nothing', capped: 0 },
} // prettier-ignore

/** When files of a row usually come, against the end of their slice, as a time of the clock in a zone. */
export function habitWords(habit: Habit | null, over: string, zone: string): string {
  if (!habit) return ''
  const at = (seconds: number) => clock(new Date(Date.parse(over) + seconds * 1000).toISOString(), zone)
  return `${at(habit.median)}, nine of ten by ${at(habit.late)}`
}

/** How late something is, or how long it has still. */
export function dueWords(due: string, now: string, zone: string): string {
  const seconds = (Date.parse(now) - Date.parse(due)) / 1000
  // seconds say nothing of what is late by minutes
  const said = seconds < 60 ? seconds : Math.floor(seconds / 60) * 60
  return seconds > 0 ? `${timeText(due, zone)}, ${lengthText(said)} ago` : timeText(due, zone)
}
