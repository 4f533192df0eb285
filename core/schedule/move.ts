import { Temporal } from 'temporal-polyfill'
import type { StartKind } from '../job/starts'

type Given = Readonly<Record<string, unknown>>

/** Minutes from one time to another on the clock of a zone. */
const minutesBetween = (from: number, to: number, zone: string): number => {
  const wall = (at: number) => Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDateTime()
  return Math.round(wall(from).until(wall(to)).total({ unit: 'minutes', relativeTo: wall(from) }))
} // prettier-ignore

/**
 * What a start is given so that one of its times comes at another; undefined where it cannot be moved so: a rule with
 * several times a day, a time on another day, a slice before it is over.
 * @param kind of the start
 * @param at its time as it is, milliseconds since 1970
 */
export function movedTo(
  kind: StartKind,
  given: Given,
  at: number,
  to: number,
  zone: string,
): Given | undefined {
  return movers[kind]?.(given, at, to, zone)
}

const movers: Readonly<Partial<Record<StartKind, typeof moveClock>>> = { clock: moveClock, slice: moveSlice }

function moveClock(given: Given, at: number, to: number, zone: string): Given | undefined {
  const [minute, hour, ...days] = String(given.cron).trim().split(/\s+/)
  if (!/^\d+$/.test(minute ?? '') || !/^\d+$/.test(hour ?? '')) return undefined
  const next = Number(hour) * 60 + Number(minute) + minutesBetween(at, to, zone)
  if (next < 0 || next >= 1440) return undefined
  return { ...given, cron: [next % 60, Math.floor(next / 60), ...days].join(' ') }
}

function moveSlice(given: Given, at: number, to: number): Given | undefined {
  const later = Temporal.Duration.from((given.later as string | undefined) ?? 'PT0S').total('minutes') + Math.round((to - at) / 60_000) // prettier-ignore
  if (later < 0) return undefined
  const { later: _before, ...rest } = given
  return later === 0 ? rest : { ...rest, later: `PT${later >= 60 ? `${Math.floor(later / 60)}H` : ''}${later % 60 > 0 ? `${later % 60}M` : ''}` } // prettier-ignore
}
