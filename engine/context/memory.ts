import type { Engine } from './engine'

/** What an engine remembers of what it read. */
export interface Memory<T> {
  /** What is remembered under a key, or was just made; what could not be made is not remembered. */
  of(engine: Engine, key: string | number, make: () => Promise<T>): Promise<T>
  /** All that is remembered and not stale. */
  all(engine: Engine): [key: string | number, value: Promise<T>][]
  /** Remembers a value. */
  keep(engine: Engine, key: string | number, value: T): void
}

/**
 * Remembers by engine, so that two in one process do not mix, and goes with it. Holds `most` entries, the oldest going
 * first, each for `milliseconds` at most.
 */
export function memory<T>(most: number, milliseconds = Infinity): Memory<T> {
  const engines = new WeakMap<Engine, Map<string | number, { at: number; value: Promise<T> }>>()
  const entriesOf = (engine: Engine) => {
    const entries = engines.get(engine) ?? new Map<string | number, { at: number; value: Promise<T> }>()
    engines.set(engine, entries)
    for (const [key, { at }] of entries) if (performance.now() - at > milliseconds) entries.delete(key)
    return entries
  }
  const put = (entries: ReturnType<typeof entriesOf>, key: string | number, value: Promise<T>) => {
    entries.delete(key)
    entries.set(key, { at: performance.now(), value })
    if (entries.size > most) entries.delete(entries.keys().next().value!)
  }
  return {
    of: (engine, key, make) => {
      const entries = entriesOf(engine)
      const known = entries.get(key)
      if (known) return known.value
      const value = make()
      put(entries, key, value)
      value.catch(() => entries.get(key)?.value === value && entries.delete(key))
      return value
    },
    all: (engine) => Array.from(entriesOf(engine), ([key, { value }]) => [key, value]),
    keep: (engine, key, value) => put(entriesOf(engine), key, Promise.resolve(value)),
  }
}
