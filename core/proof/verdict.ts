import type { RunState } from '../runState'

/** What the record says that a step did. */
export interface Recorded {
  readonly step: string
  readonly state: RunState
  /** Rows that it wrote into a table; null where it writes none. */
  readonly written: number | null
  /** The transaction whose number its rows and its marker bear; null where it left no marker. */
  readonly writtenIn: string | null
  /** The connection that its marker is in. */
  readonly connection: string | null
}

/** A marker as it stands in the target. */
export interface FoundMarker {
  readonly writtenIn: string
  /** Rows that it says were written. */
  readonly written: number
}

/** What is in the target now. */
export interface Found {
  /** Null where there is none; a text says why nobody could look. */
  readonly marker: FoundMarker | null | string
  /** Rows that bear the number of the step's transaction; a text says why nobody could count. Null where none are to be counted. */
  readonly rows: number | null | string
  /** Who wrote to the same table last, where that was another, in words. */
  readonly since: string | null
  /** What is wrong with the files that it wrote, in words. */
  readonly files: readonly string[]
}

export interface StepVerdict {
  readonly step: string
  readonly holds: boolean
  readonly written: number
  /** Null where nobody could count, or nothing is to be counted. */
  readonly found: number | null
  /** Why it does not hold. */
  readonly why: string | null
}

const rowsOf = (n: number): string => `${n.toLocaleString('en')} ${n === 1 ? 'row' : 'rows'}`

/**
 * Is what a step left still as it left it? Rows are told by the number of the transaction that wrote them: a row that was changed
 * since bears another's, one that was deleted none.
 */
export function verdictOfStep(record: Recorded, found: Found): StepVerdict {
  const { step, state, written, writtenIn, connection } = record
  const { marker, rows, since, files } = found
  const tell = (
    why: string | null,
    counted: number | null = typeof rows === 'number' ? rows : null,
  ): StepVerdict => ({
    step,
    holds: why === null,
    written: written ?? 0,
    found: counted,
    why,
  })
  if (state !== 'done' && state !== 'held')
    return marker !== null && typeof marker === 'object'
      ? tell(`its record says ${state}, and its marker in ${connection} says that it took effect`)
      : tell(null, null)
  const wrong = [...files]
  if (writtenIn !== null) {
    if (typeof marker === 'string') return tell(marker, null)
    if (marker === null) wrong.push(`its marker is not in ${connection} any more`)
    else if (marker.writtenIn !== writtenIn)
      return tell(`${connection} was restored from a copy since: whose rows they are cannot be told`, null)
    else if (written !== null && marker.written !== written)
      wrong.push(`its record says that it wrote ${rowsOf(written)}, and its marker ${rowsOf(marker.written)}`)
  }
  if (typeof rows === 'string') wrong.push(rows)
  else if (rows !== null && written !== null && rows < written)
    wrong.push(
      `${(written - rows).toLocaleString('en')} of ${rowsOf(written)} ${written - rows === 1 ? 'is' : 'are'} not as ${written - rows === 1 ? 'it was' : 'they were'} left; ${since ?? 'no transfer of Mattock has written there since'}`,
    )
  else if (rows !== null && written !== null && rows > written)
    wrong.push(`${rowsOf(rows)} bear its transaction, and it wrote ${written.toLocaleString('en')}`)
  return tell(wrong.length > 0 ? wrong.join('; ') : null)
}

/** What became of a load, by its steps. */
export function verdictOfLoad(key: string, steps: readonly StepVerdict[]) {
  const wrong = steps.filter(({ holds }) => !holds)
  const counted = steps.flatMap(({ found }) => (found === null ? [] : [found]))
  return {
    key,
    holds: wrong.length === 0,
    written: steps.reduce((sum, step) => sum + step.written, 0),
    found: counted.length > 0 ? counted.reduce((sum, found) => sum + found, 0) : null,
    why: wrong.length > 0 ? wrong.map(({ step, why }) => `${step}: ${why}`).join('; ') : null,
  }
}
