import { Cron } from 'croner'
import { toString as wordsOf } from 'cronstrue'
import { Temporal } from 'temporal-polyfill'
import { fail } from '../fault'

/** Five fields as crontab(5) has them: minute, hour, day of the month, month, day of the week. */
export interface CronRule {
  readonly expression: string
  /** IANA time zone whose clock it goes by. */
  readonly zone: string
}

const names = [
  ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'],
  ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'],
]
const fields = [
  { what: 'minute', least: 0, most: 59, names: [] },
  { what: 'hour', least: 0, most: 23, names: [] },
  { what: 'day of the month', least: 1, most: 31, names: [] },
  { what: 'month', least: 1, most: 12, names: names[0]! },
  { what: 'day of the week', least: 0, most: 7, names: names[1]! },
]

/** What was found of expressions: a schedule asks for the same few again and again. */
const faults = new Map<string, string | undefined>()
const walks = new Map<string, Cron>()
const mostKept = 5000

/** What is wrong with an expression, in words; undefined where nothing is. */
export function cronFault(expression: string): string | undefined {
  if (faults.has(expression)) return faults.get(expression)
  const fault = findFault(expression)
  if (faults.size >= mostKept) faults.clear()
  faults.set(expression, fault)
  return fault
}

function findFault(expression: string): string | undefined {
  const parts = expression.trim().split(/\s+/)
  if (parts.length !== 5 || parts[0] === '')
    return `"${expression}" has ${parts[0] === '' ? 0 : parts.length} fields; it takes five: minute, hour, day of the month, month, day of the week`
  for (const [at, { what, least, most, names: known }] of fields.entries())
    for (const one of parts[at]!.split(',')) {
      const [, first, last, step] = /^(\*|\w+)(?:-(\w+))?(?:\/(\d+))?$/.exec(one) ?? []
      if (first === undefined) return `"${one}" is no ${what}`
      const ends = [first, last].filter((end) => end !== undefined && end !== '*').map((end) => valueOf(end!, known, least)) // prettier-ignore
      if (ends.some((end) => end === undefined || end < least || end > most) || (first === '*' && last !== undefined))
        return `"${one}" is no ${what}; it is ${least} to ${most}${known.length > 0 ? `, or ${known[0]} to ${known.at(-1)}` : ''}` // prettier-ignore
      if (ends.length === 2 && ends[0]! > ends[1]!) return `"${one}" ends before it begins`
      if (step !== undefined && (Number(step) < 1 || Number(step) > most))
        return `"${one}" goes in steps of ${step}; from 1 to ${most} make sense`
      if (step !== undefined && last === undefined && first !== '*')
        return `"${one}" has a step and no range; write ${first}-${most}/${step}`
    }
  if (!walk(expression, Date.UTC(2024, 0, 1)).next())
    return `"${expression}" never comes: there is no such day`
  return undefined
}

const valueOf = (text: string, known: readonly string[], least: number): number | undefined => {
  if (/^\d+$/.test(text)) return Number(text)
  const at = known.indexOf(text.toLowerCase())
  return at < 0 ? undefined : at + least
}

/**
 * The wall-clock times of an expression after one, as if they were UTC. Day of the month and day of the week: either,
 * where both are restricted; both, where one begins with a star (crontab(5)).
 */
function walk(expression: string, after: number): { next(): number | undefined } {
  const cron = walks.get(expression) ?? read(expression)
  let at = new Date(after)
  return {
    next: () => {
      const found = cron.nextRun(at)
      if (!found) return undefined
      at = found
      return found.getTime()
    },
  }
}

/**
 * The instants at which a rule comes, after one and up to another that is included, both in milliseconds since 1970; at
 * most `limit`. Where the clock is set forward, a time that is left out comes when the clock would have shown it (the
 * hour later); where it is set back, an hour that is written comes once, at its first time, and one that is not (`*`)
 * comes each time: crontab's rule for jobs at a set time and those with a wildcard (cron(8)).
 * @throws FaultError `cron`
 */
export function cronTimes(
  { expression, zone }: CronRule,
  after: number,
  until: number,
  limit = Infinity,
): number[] {
  const fault = cronFault(expression)
  if (fault !== undefined) fail('cron', fault)
  // jobs of a house come at the same times, and are looked ahead over together
  const asked = `${after} ${until} ${limit}`
  if (asked !== spans.asked || spans.times.size >= mostKept) {
    spans.asked = asked
    spans.times.clear()
  }
  const key = `${expression} ${zone}`
  const known = spans.times.get(key) ?? timesIn(expression, zone, after, until, limit)
  spans.times.set(key, known)
  return [...known]
}

/** What was found for the span that was asked for last, by expression and zone. */
const spans = { asked: '', times: new Map<string, readonly number[]>() }

function timesIn(expression: string, zone: string, after: number, until: number, limit: number): number[] {
  const clock = wallClock(zone, after, until)
  const everyHour = expression.trim().split(/\s+/)[1]!.startsWith('*')
  const found = new Set<number>()
  // times around a change of the clock come out of order: some more are looked at on both sides
  const around = clock.changes ? margin : 0
  const times = walk(expression, clock.wall(after) - around)
  let last = clock.wall(until) + around
  for (let wall = times.next(); wall !== undefined && wall <= last; wall = times.next()) {
    const instants = clock.instants(wall)
    for (const instant of everyHour ? instants : instants.slice(0, 1))
      if (instant > after && instant <= until) found.add(instant)
    if (found.size >= limit) last = Math.min(last, wall + around)
  }
  return [...found].sort((one, other) => one - other).slice(0, limit)
} // prettier-ignore

const margin = 3 * 3_600_000

function read(expression: string): Cron {
  const parts = expression.trim().split(/\s+/)
  const starred = parts[2]!.startsWith('*') || parts[4]!.startsWith('*')
  const cron = new Cron(expression.trim(), { utcOffset: 0, domAndDow: starred, mode: '5-part' })
  if (walks.size >= mostKept) walks.clear()
  walks.set(expression, cron)
  return cron
}

/** The clock of a zone over a span: without a change of it in there, it is counted by one addition. */
function wallClock(zone: string, after: number, until: number) {
  const offsetAt = (time: number) => offset(zone, time)
  const [from, to] = [after - 2 * margin, Math.min(until + 2 * margin, after + 366 * 86_400_000)]
  const changes = nextChange(zone, from) <= to || until > to
  const own = offsetAt(after)
  return {
    changes,
    wall: (time: number): number => time + (changes ? offsetAt(time) : own),
    /** When the clock shows a time: once, twice where it was set back, and shifted by the change where it was left out. */
    instants: (wall: number): number[] => {
      if (!changes) return [wall - own]
      const [earlier, later] = [offsetAt(wall - own - margin), offsetAt(wall - own + margin)]
      const shown = [wall - earlier, wall - later].filter((time, i, all) => time + offsetAt(time) === wall && all.indexOf(time) === i) // prettier-ignore
      return shown.length > 0 ? shown.sort((a, b) => a - b) : [wall - earlier]
    },
  }
}

/** A stretch in which a zone's clock is not changed, milliseconds since 1970. */
interface Steady {
  readonly from: number
  readonly until: number
  /** Milliseconds that the clock is ahead of UTC. */
  readonly offset: number
}

/** Stretches that were looked up, by zone: asking for a change takes a hundred times as long as a start does. */
const steady = new Map<string, Steady[]>()

function steadyAt(zone: string, time: number): Steady {
  let known = steady.get(zone)
  const found = known?.find(({ from, until }) => from <= time && time < until)
  if (found) return found
  const at = Temporal.Instant.fromEpochMilliseconds(Math.floor(time)).toZonedDateTimeISO(zone)
  const next = at.getTimeZoneTransition('next')?.epochMilliseconds ?? Infinity
  const made = { from: Math.floor(time), until: next, offset: at.offsetNanoseconds / 1e6 }
  if (!known || known.length >= 50) steady.set(zone, (known = []))
  known.unshift(made)
  return made
}

/** Milliseconds that a zone's clock is ahead of UTC. */
const offset = (zone: string, time: number): number => steadyAt(zone, time).offset

/** When the clock of a zone is changed next; Infinity where it never is. */
export const nextChange = (zone: string, after: number): number => steadyAt(zone, after).until

/** An expression in words: `at 05:30, Monday through Friday`; itself where it cannot be read. */
export function cronWords(expression: string): string {
  try {
    const words = wordsOf(expression, { use24HourTimeFormat: true, verbose: false })
    const [, , day, , weekday] = expression.trim().split(/\s+/)
    const either = !day!.startsWith('*') && !weekday!.startsWith('*')
    const said = either ? words.replace(/,? and on /, ', or on ') : words
    return said.charAt(0).toLowerCase() + said.slice(1)
  } catch {
    return expression
  }
}
