import { readingText, type ValueReading } from '../files/valueReading'
import type { ValueType } from '../value'
import { noWords, nullWords, numberMarks, valueClasses, yesWords, type ValueClass } from './valueClass'

/** A value that was seen, and where: file in its store, and row of it (1 is the first below the header). */
export interface Seen {
  readonly value: string
  readonly file?: string
  readonly row?: number
}

/** What was seen of a column's values. Evidences of the same column of several files add up (`addEvidence`). */
export interface Evidence {
  /** Values by class; those that are not there count as `blank`. */
  readonly counts: Partial<Record<ValueClass, number>>
  /** The first value of each class. */
  readonly firsts: Partial<Record<ValueClass, Seen>>
  /** Letters of the longest value. */
  readonly longest: number
}

export const noEvidence: Evidence = { counts: {}, firsts: {}, longest: 0 }

export function addEvidence(a: Evidence, b: Evidence): Evidence {
  const counts = { ...a.counts }
  for (const name of valueClasses) {
    const more = b.counts[name]
    if (more) counts[name] = (counts[name] ?? 0) + more
  }
  return { counts, firsts: { ...b.firsts, ...a.firsts }, longest: Math.max(a.longest, b.longest) }
}

/** The type a column gets, and why. */
export interface Verdict {
  readonly type: ValueType
  readonly reading?: ValueReading
  /** Ways in which all of its values can be read as something stricter, of which a person must choose one. */
  readonly asked?: readonly Choice[]
  /** Values looked at that were not blank, and those that were. */
  readonly looked: number
  readonly blank: number
  /** Values that kept the type from being stricter: how many, of what classes, and the first of them where it is known. */
  readonly decided: {
    readonly count: number
    readonly classes: readonly ValueClass[]
    readonly first: Seen | null
  } | null
  /** The stricter type that most values would fit, and how many would not; null where there is none. */
  readonly stricter: { readonly type: ValueType; readonly fails: number } | null
  readonly longest: number
}

/** A type that all values have, if they are read so. */
export interface Choice {
  readonly type: ValueType
  readonly reading: ValueReading
}

interface Family {
  readonly type: ValueType
  readonly reading?: ValueReading
  readonly holds: readonly ValueClass[]
  /** One of these is to be among the values, else the reading is one of several: it is asked, not taken. */
  readonly sure?: readonly ValueClass[]
  /** Several of its classes are to be among the values: numbers of one form only may be codes. */
  readonly varied?: boolean
}

const money: ValueReading = { marks: numberMarks }
const marks = (holds: readonly ValueClass[], more: readonly ValueClass[]): ValueClass[] => [...holds, ...more]
const number = ['integer', 'decimal', 'point-three'] as const
const byComma = [
  'integer',
  'comma-three',
  'grouped-comma',
  'grouped-comma-decimal',
  'point-three',
  'decimal',
] as const
const byPoint = ['integer', 'point-three', 'grouped-point', 'grouped-point-decimal', 'decimal-comma', 'comma-three'] as const // prettier-ignore
const blankPoint = ['integer', 'grouped-blank', 'grouped-blank-sure', 'grouped-blank-point', 'decimal', 'point-three'] as const // prettier-ignore
const blankComma = ['integer', 'grouped-blank', 'grouped-blank-sure', 'grouped-blank-comma', 'decimal-comma', 'comma-three'] as const // prettier-ignore

/** A column of days in one order, with or without clock times. */
const days = (pattern: string, dates: readonly ValueClass[], sure: readonly ValueClass[], times: readonly ValueClass[], sureTimes: readonly ValueClass[], times12: readonly ValueClass[], sureTimes12: readonly ValueClass[]): Family[] => [
  { type: 'date', reading: { dates: [pattern] }, holds: dates, sure },
  { type: 'timestamp', reading: { dates: clocks(pattern, 'H:mm') }, holds: [...dates, ...times], sure: [...sure, ...sureTimes] },
  ...(times12.length > 0 ? [{ type: 'timestamp' as const, reading: { dates: clocks(pattern, 'h:mm', ' a') }, holds: [...dates, ...times12], sure: [...sure, ...sureTimes12] }] : []),
] // prettier-ignore
const clocks = (day: string, clock: string, half = ''): string[] => [
  day,
  ...['', ','].flatMap((comma) =>
    [clock, `${clock}:ss`, ...(half ? [] : [`${clock}:ss.S`])].map((time) => `${day}${comma} ${time}${half}`),
  ),
]

/** Families of classes that one type can hold, strictest first. */
const families: readonly Family[] = [
  { type: 'integer', holds: ['integer'] },
  { type: 'decimal', holds: number },
  { type: 'integer', reading: { thousands: ',' }, holds: ['integer', 'comma-three', 'grouped-comma'], sure: ['grouped-comma'] },
  { type: 'decimal', reading: { thousands: ',' }, holds: byComma, sure: ['grouped-comma', 'grouped-comma-decimal'] },
  { type: 'decimal', reading: { decimal: ',' }, holds: ['integer', 'decimal-comma', 'comma-three'], sure: ['decimal-comma'] },
  { type: 'integer', reading: { thousands: '.', decimal: ',' }, holds: ['integer', 'point-three', 'grouped-point'], sure: ['grouped-point'], varied: true },
  { type: 'decimal', reading: { thousands: '.', decimal: ',' }, holds: byPoint, sure: ['grouped-point-decimal', 'grouped-point', 'decimal-comma'], varied: true },
  { type: 'integer', reading: { thousands: ' ' }, holds: ['integer', 'grouped-blank', 'grouped-blank-sure'], sure: ['grouped-blank-sure', 'integer'], varied: true },
  { type: 'integer', reading: { thousands: ' ' }, holds: ['integer', 'grouped-blank-sure'], sure: ['grouped-blank-sure'] },
  { type: 'decimal', reading: { thousands: ' ' }, holds: blankPoint, sure: ['grouped-blank-point', 'grouped-blank-sure', 'integer', 'decimal'] },
  { type: 'decimal', reading: { thousands: ' ', decimal: ',' }, holds: blankComma, sure: ['grouped-blank-comma', 'decimal-comma'] },
  { type: 'decimal', reading: { thousands: "'" }, holds: [...number, 'grouped-apostrophe'] },
  { type: 'decimal', reading: money, holds: marks(number, ['marked']), sure: ['marked'] },
  { type: 'decimal', reading: { ...money, thousands: ',' }, holds: marks(byComma, ['marked', 'marked-comma-three', 'marked-grouped-comma']), sure: ['grouped-comma', 'grouped-comma-decimal', 'marked-grouped-comma'] },
  { type: 'decimal', reading: { ...money, decimal: ',' }, holds: marks(['integer', 'decimal-comma', 'comma-three'], ['marked', 'marked-comma', 'marked-comma-three']), sure: ['decimal-comma', 'marked-comma'] },
  { type: 'decimal', reading: { ...money, thousands: '.', decimal: ',' }, holds: marks(byPoint, ['marked', 'marked-comma', 'marked-comma-three', 'marked-grouped-point']), sure: ['grouped-point-decimal', 'marked-comma', 'marked-grouped-point', 'decimal-comma'] },
  { type: 'decimal', reading: { ...money, thousands: ' ' }, holds: marks(blankPoint, ['marked', 'marked-grouped-blank-point']), sure: ['marked', 'marked-grouped-blank-point'] },
  { type: 'decimal', reading: { ...money, thousands: ' ', decimal: ',' }, holds: marks(blankComma, ['marked', 'marked-comma', 'marked-comma-three', 'marked-grouped-blank-comma']), sure: ['grouped-blank-comma', 'marked-comma', 'marked-grouped-blank-comma', 'decimal-comma'] },
  { type: 'boolean', holds: ['boolean'] },
  { type: 'boolean', reading: { yes: yesWords, no: noWords }, holds: ['yes-word', 'no-word'], varied: true },
  { type: 'date', holds: ['date'] },
  { type: 'date', reading: { dates: ['d.M.yyyy'] }, holds: ['date-dots'] },
  { type: 'date', reading: { dates: ['d.M.yy'] }, holds: ['date-dots-short'], sure: [] },
  { type: 'timestamp', reading: { dates: clocks('d.M.yyyy', 'H:mm') }, holds: ['date-dots', 'dots-time'] },
  ...days('d/M/yyyy', ['date-slash-dm', 'date-slash-either'], ['date-slash-dm'], ['slash-dm-time', 'slash-either-time'], ['slash-dm-time'], ['slash-dm-time12', 'slash-either-time12'], ['slash-dm-time12']),
  ...days('M/d/yyyy', ['date-slash-md', 'date-slash-either'], ['date-slash-md'], ['slash-md-time', 'slash-either-time'], ['slash-md-time'], ['slash-md-time12', 'slash-either-time12'], ['slash-md-time12']),
  ...days('d-M-yyyy', ['date-dash-dm', 'date-dash-either'], ['date-dash-dm'], [], [], [], []).slice(0, 1),
  ...days('M-d-yyyy', ['date-dash-md', 'date-dash-either'], ['date-dash-md'], [], [], [], []).slice(0, 1),
  { type: 'date', reading: { dates: ['d MMM yyyy', 'd-MMM-yyyy', 'd. MMM yyyy'] }, holds: ['date-named-dm'] },
  { type: 'date', reading: { dates: ['MMM d, yyyy', 'MMM d yyyy', 'MMM-d-yyyy'] }, holds: ['date-named-md'] },
  { type: 'time', holds: ['time'] },
  { type: 'time', reading: { dates: ['h:mm a', 'h:mma', 'h:mm:ss a', 'h:mm:ssa'] }, holds: ['time12'] },
  { type: 'timestamp', holds: ['date', 'timestamp', 'timestamp-zone'] },
  { type: 'timestamp', reading: { dates: clocks('yyyy-MM-dd', 'h:mm', ' a') }, holds: ['date', 'date-time12'] },
] // prettier-ignore

/** The ways to read values of several: each reading with its narrowest type; signs at numbers only where there are any. */
function choices(fitting: readonly Family[], seen: readonly ValueClass[]): Choice[] {
  const hasMarks = seen.some((name) => name.startsWith('marked'))
  const byReading = new Map<string, Choice>()
  for (const { type, reading = {} } of fitting) {
    const { dates, ...rest } = reading
    const id = readingText({ ...rest, ...(dates ? { dates: dates.slice(0, 1) } : {}) })
    if ((!reading.marks || hasMarks) && !byReading.has(id)) byReading.set(id, { type, reading })
  }
  return [...byReading.values()]
}

/**
 * The strictest type that holds every value seen. A stricter one that was refused is named where at least half of the
 * values would fit it. Words for nothing do not count where the others are of a type. What can be read in two ways stays
 * text, and is asked.
 */
export function judgeEvidence({ counts, firsts, longest }: Evidence): Verdict {
  const all: ValueClass[] = valueClasses.filter((name) => name !== 'blank' && (counts[name] ?? 0) > 0)
  const words = counts['null-word'] ?? 0
  const seen: ValueClass[] = all.filter((name) => name !== 'null-word')
  const number = (names: readonly ValueClass[]) => names.reduce((sum, name) => sum + (counts[name] ?? 0), 0)
  const looked = number(seen)
  const fitting = families.filter(({ holds }) => looked > 0 && seen.every((name) => holds.includes(name)))
  const isSure = ({ sure, varied }: Family) =>
    (!sure || sure.some((name) => seen.includes(name))) && (!varied || seen.length > 1)
  const taken = fitting.find(isSure)
  const asked = taken ? [] : choices(fitting, seen)
  const found = taken ?? { type: 'text' as const, holds: valueClasses }
  const place = taken ? families.indexOf(taken) : families.length
  const nulls = taken && words > 0 ? { nulls: nullWords } : {}
  const reading = { ...(taken as Family | undefined)?.reading, ...nulls }
  // among texts a word for nothing is a text
  const blank = (counts.blank ?? 0) + (taken ? words : 0)
  const total = looked + (taken ? 0 : words)
  const refused = families
    .slice(0, place)
    .filter(
      ({ type, holds, reading: other }) =>
        type !== found.type && !other && holds.every((name) => found.holds.includes(name)),
    )
    .map(({ type, holds }) => ({ type, holds, fails: total - number(holds) }))
    .filter(({ fails }) => fails > 0 && fails * 2 <= total)
    .sort((a, b) => a.fails - b.fails)[0]
  const against = refused ? all.filter((name) => !refused.holds.includes(name)) : []
  const first = against.map((name) => firsts[name]).find((value) => value !== undefined)
  return {
    type: found.type,
    ...(Object.keys(reading).length > 0 ? { reading } : {}),
    ...(asked.length > 0 ? { asked } : {}),
    looked: total,
    blank,
    decided: refused ? { count: refused.fails, classes: against, first: first ?? null } : null,
    stricter: refused ? { type: refused.type, fails: refused.fails } : null,
    longest,
  }
}
