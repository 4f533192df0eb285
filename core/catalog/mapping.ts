import { likeness } from './likeness'

export interface MappedColumn {
  readonly target: string
  readonly source: string | null
  /** 0 to 1; null where nobody guessed. */
  readonly likeness: number | null
  /** Given by the job, the same name, or a guess by likeness. */
  readonly why: 'given' | 'same' | 'like' | 'none'
}

export interface Mapping {
  readonly columns: readonly MappedColumn[]
  /** Columns of the source that go nowhere. */
  readonly unused: readonly string[]
}

/** A guess below this likeness is none. */
export const leastLikeness = 0.82

/**
 * Which source column goes into which target column: as the job gives it, then by the same name (as written, then in
 * lower case without blanks around), then the likest pairs first, each column once. Deterministic.
 */
export function suggestMapping(
  sources: readonly string[],
  targets: readonly string[],
  given: Readonly<Record<string, string>> = {},
): Mapping {
  const made = new Map<string, MappedColumn>()
  const free = new Set(sources)
  const take = (target: string, source: string, score: number | null, why: MappedColumn['why']) => {
    made.set(target, { target, source, likeness: score, why })
    free.delete(source)
  }
  for (const target of targets) {
    const source = Object.hasOwn(given, target) ? given[target] : undefined
    if (source !== undefined && free.has(source)) take(target, source, null, 'given')
  }
  const plain = (name: string) => name.trim().toLowerCase()
  for (const same of [(a: string, b: string) => a === b, (a: string, b: string) => plain(a) === plain(b)]) {
    for (const target of targets) {
      if (made.has(target)) continue
      const source = [...free].find((name) => same(name, target))
      if (source !== undefined) take(target, source, 1, 'same')
    }
  }
  const pairs = targets
    .filter((target) => !made.has(target))
    .flatMap((target) => [...free].map((source) => ({ target, source, score: likeness(source, target) })))
    .filter(({ score }) => score >= leastLikeness)
    .sort((a, b) => b.score - a.score)
  for (const { target, source, score } of pairs)
    if (!made.has(target) && free.has(source)) take(target, source, score, 'like')
  return {
    columns: targets.map(
      (target) => made.get(target) ?? { target, source: null, likeness: null, why: 'none' },
    ),
    unused: [...free],
  }
}
