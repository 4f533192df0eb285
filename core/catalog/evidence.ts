import type { ValueType } from '../value'
import { valueClasses, type ValueClass } from './valueClass'

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

/** How a column's values are to be read, where it is not the plain way. */
export type Reading = 'decimal-comma' | 'day.month.year'

/** The type a column gets, and why. */
export interface Verdict {
  readonly type: ValueType
  readonly reading?: Reading
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

/** Families of classes that one type can hold, strictest first. */
const families: readonly { type: ValueType; reading?: Reading; holds: readonly ValueClass[] }[] = [
  { type: 'integer', holds: ['integer'] },
  { type: 'decimal', holds: ['integer', 'decimal'] },
  { type: 'decimal', reading: 'decimal-comma', holds: ['integer', 'decimal-comma'] },
  { type: 'boolean', holds: ['boolean'] },
  { type: 'date', holds: ['date'] },
  { type: 'date', reading: 'day.month.year', holds: ['date-dots'] },
  { type: 'time', holds: ['time'] },
  { type: 'timestamp', holds: ['date', 'timestamp', 'timestamp-zone'] },
]

/**
 * The strictest type that holds every value seen. A stricter one that was refused is named where at least half of the
 * values would fit it.
 */
export function judgeEvidence({ counts, firsts, longest }: Evidence): Verdict {
  const blank = counts.blank ?? 0
  const seen = valueClasses.filter((name) => name !== 'blank' && (counts[name] ?? 0) > 0)
  const number = (names: readonly ValueClass[]) => names.reduce((sum, name) => sum + (counts[name] ?? 0), 0)
  const looked = number(seen)
  const fitting = families.findIndex(({ holds }) => looked > 0 && seen.every((name) => holds.includes(name)))
  const found = fitting < 0 ? { type: 'text' as const, holds: valueClasses } : families[fitting]!
  const refused = (fitting < 0 ? families : families.slice(0, fitting))
    .filter(({ type, holds }) => type !== found.type && holds.every((name) => found.holds.includes(name)))
    .map(({ type, holds }) => ({ type, holds, fails: looked - number(holds) }))
    .filter(({ fails }) => fails > 0 && fails * 2 <= looked)
    .sort((a, b) => a.fails - b.fails)[0]
  const against = refused ? seen.filter((name) => !refused.holds.includes(name)) : []
  const first = against.map((name) => firsts[name]).find((value) => value !== undefined)
  return {
    type: found.type,
    ...(found.reading ? { reading: found.reading } : {}),
    looked,
    blank,
    decided: refused ? { count: refused.fails, classes: against, first: first ?? null } : null,
    stricter: refused ? { type: refused.type, fails: refused.fails } : null,
    longest,
  }
}
