import { lengthOf } from '../schedule/duration'
import { groupBy } from '../group'
import { quietFor } from '../job/starts/arrived'
import type { PlanPick } from '../plan/types'
import type { Slice } from '../slice/slices'
import type { ArrivalState } from './arrival'

/** What a start says of the files that it waits for. */
export interface ArrivedStart {
  readonly wait_for: 'all' | 'each' | 'quiet'
  readonly quiet?: string | undefined
  readonly latest?: string | undefined
}

/** The files of one row and slice, as a start sees them. */
export interface ArrivedItem {
  readonly part: string
  readonly row: string
  readonly slice: Slice
  readonly state: ArrivalState
  /** Their names, without folders. */
  readonly names: readonly string[]
  /** They no longer grow, or their markers are there. */
  readonly whole: boolean
  /** When they were first seen as they are now; milliseconds since 1970. */
  readonly since: number
  /** They had come before anybody asked for them. */
  readonly old: boolean
  /** The start began for them as they are. */
  readonly taken: boolean
}

/** What a start begins. */
export interface ArrivedRun {
  /** What makes it this one and no other. */
  readonly key: string
  readonly cause: string
  readonly slices: { readonly from: string; readonly to: string }
  /** The rows and slices that it takes; undefined for all rows of its slice. */
  readonly picks: readonly PlanPick[] | undefined
  /** The items that it begins for. */
  readonly items: readonly ArrivedItem[]
}

/** States of a file that nobody waits for any more. */
const settled: ReadonlySet<ArrivalState> = new Set(['loaded', 'empty', 'without', 'unasked'])

const isHere = ({ state }: ArrivedItem): boolean => state === 'here' || state === 'again'

/**
 * The runs that a start begins at a time for the files that came.
 * @param begun beginnings of the slices that it began for as a whole
 * @param now milliseconds since 1970
 */
export function runsFor(start: ArrivedStart, items: readonly ArrivedItem[], begun: ReadonlySet<string>, now: number): ArrivedRun[] {
  if (start.wait_for === 'all') return wholeSlices(start, items, begun, now)
  const came = items.filter((item) => isHere(item) && item.whole && !item.taken && !item.old)
  if (came.length === 0) return []
  if (start.wait_for === 'quiet') {
    // one that still grows is one that still comes
    const coming = items.some((item) => isHere(item) && !item.whole && !item.old)
    const last = Math.max(...came.map(({ since }) => since))
    if (coming || now - last < quietFor(start.quiet)) return []
  }
  return [runOf(came, `${namesText(came)} came`, true)]
} // prettier-ignore

/** Slices whose files are all there, or that waited for them long enough. */
function wholeSlices({ latest }: ArrivedStart, items: readonly ArrivedItem[], begun: ReadonlySet<string>, now: number): ArrivedRun[] {
  return [...groupBy(items, ({ slice }) => slice.from).values()].flatMap((list) => {
    const { slice } = list[0]!
    const fresh = list.filter((item) => isHere(item) && item.whole && !item.taken)
    if (begun.has(slice.from) || fresh.length === 0 || list.every(({ old }) => old)) return []
    const lacking = list.filter((item) => (isHere(item) ? !item.whole : !settled.has(item.state)))
    if (lacking.length === 0) return [runOf(list, `all ${list.length === 1 ? 'that is' : `${list.length.toLocaleString('en')} that are`} expected for ${slice.label} came`, false)]
    if (latest === undefined || now < Date.parse(slice.to) + lengthOf(latest)!) return []
    return [runOf(list, `${lacking.length.toLocaleString('en')} of ${list.length.toLocaleString('en')} for ${slice.label} did not come in time`, false)]
  })
} // prettier-ignore

function runOf(items: readonly ArrivedItem[], cause: string, picked: boolean): ArrivedRun {
  const from = items.map(({ slice }) => slice.from).reduce((a, b) => (Date.parse(a) <= Date.parse(b) ? a : b))
  const to = items.map(({ slice }) => slice.to).reduce((a, b) => (Date.parse(a) >= Date.parse(b) ? a : b))
  return {
    key: picked ? `files ${items.map(({ part, row, slice, since }) => `${part} ${row} ${slice.from} ${since}`).sort().join(', ')}` : `all ${from}`,
    cause,
    slices: { from, to },
    picks: picked ? items.map(({ part, row, slice }) => ({ part, row, from: slice.from, to: slice.to })) : undefined,
    items,
  }
} // prettier-ignore

/** The first names, and how many more. */
function namesText(items: readonly ArrivedItem[]): string {
  const names = items.flatMap((item) => item.names)
  const few = names.slice(0, 3).join(', ')
  return names.length > 3 ? `${few} and ${(names.length - 3).toLocaleString('en')} more` : few
}

/**
 * Was a file there before a moment? Times of files lag behind the clock by up to a tick of the kernel (10 ms where it ticks
 * 100 times a second, inode(7)); some file systems keep whole seconds, or every other one (FAT).
 * @param modified time of the file's last change; milliseconds since 1970, as `moment`
 */
export const wasBefore = (modified: number, moment: number): boolean =>
  modified + (modified % 1000 === 0 ? 2000 : 20) < moment
