import { nearestRow } from '../../core/arrivals/nearest'
import { expand } from '../../core/plan/expand/expand'
import { fileWantsOf } from '../../core/plan/fileWants'
import type { PlanPick } from '../../core/plan/types'
import { slicesBetween, slicesMeeting, type Slice } from '../../core/slice/slices'
import {
  hasWildcard,
  literalStart,
  segmentMatcher,
  storeSegments,
  unescapeSegment,
} from '../../core/store/pattern'
import type { Engine } from '../context/engine'
import { gatherLately } from '../planning/gather'
import { planRequest } from '../planning/plan'
import { namesFiles } from './namesFiles'
import type { Searched } from './searched'

/** A file of a store. */
export interface Lying {
  readonly store: string
  readonly path: string
}

interface Asked {
  readonly environment: string
  /** Milliseconds since 1970. */
  readonly now: number
  /** The end of what is shown, now at most. */
  readonly until: number
}

/** Slices before those that are shown that all rows are asked about, those that single rows are, and loads at most. */
const near = 3
const far = 400
const mostLoads = 20_000
/** Kinds of names whose nearest row is looked for. */
const mostKinds = 100

/** Names that differ in numbers only are of one kind. */
export const kindOf = ({ store, path }: Lying): string => `${store}\n${path.replace(/\d+/g, '#')}`

/**
 * Of files that no row expects for the slices that are shown, those that one expects for another: the slice that is not
 * over yet, the few before them, and, of the row that is called most like it, the many before them, as for a correction of
 * what is long loaded.
 */
export async function expectedElsewhere(engine: Engine, searched: Searched, asked: Asked, files: readonly Lying[]): Promise<Lying[]> {
  const { job, slices, names } = searched
  const [first, last] = [slices[0], slices.at(-1)]
  if (!first || !last || files.length === 0) return []
  const length = Date.parse(first.to) - Date.parse(first.from)
  const before = (count: number) =>
    slicesBetween(job.slices!, new Date(Date.parse(first.from) - count * length).toISOString(), first.from)
  const open = slicesMeeting(job.slices!, last.to, new Date(Math.max(asked.until, Date.parse(last.to)) + 1).toISOString())
  const found = await ofSlices(engine, searched, asked, [...before(near + 0.5), ...open], files)
  const known = new Set(found)
  const rest = files.filter((file) => !known.has(file))
  const kinds = new Map(rest.map((file) => [kindOf(file), file]))
  const rows = new Map<string, { part: string; row: string }>()
  for (const { store, path } of [...kinds.values()].slice(0, mostKinds)) {
    const own = names.get(store) ?? []
    const nearest = nearestRow(nameOf(path), own)
    const row = own.find(({ row: key }) => key === nearest?.row)
    if (row) rows.set(`${row.part} ${row.row}`, row)
  }
  const old = rows.size === 0 ? [] : before(Math.min(far, Math.floor(mostLoads / rows.size)))
  if (old.length === 0) return found
  const picks = [...rows.values()].map(({ part, row }) => ({ part, row, from: old[0]!.from, to: first.from }))
  return [...found, ...(await ofSlices(engine, searched, asked, old, rest, picks))]
} // prettier-ignore

const nameOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1)

/** Files that rows expect for some slices. */
async function ofSlices(engine: Engine, { job }: Searched, { environment, now }: Asked, slices: readonly Slice[], files: readonly Lying[], picks?: readonly PlanPick[]): Promise<Lying[]> {
  if (slices.length === 0) return []
  const request = await planRequest(engine, job, { environment, parameters: {}, span: undefined, now: new Date(now).toISOString() })
  const own = { ...request, slices, picks, texts: namesFiles }
  const fits = fitting(fileWantsOf(expand(own, await gatherLately(engine, own))).map(({ store, files: wanted }) => ({ store, path: storeSegments(wanted.pattern).join('/') })))
  return files.filter(fits)
} // prettier-ignore

/** Does a file fit one of many patterns? Of those with wildcards only those are tried that begin as it does. */
export function fitting(patterns: readonly Lying[]): (file: Lying) => boolean {
  const exact = new Set<string>()
  const wild = new Map<string, Set<string>>()
  for (const { store, path } of patterns) {
    if (!hasWildcard(path)) exact.add(`${store}\n${unescapeSegment(path)}`)
    else {
      const start = `${store}\n${literalStart(path)}`
      wild.set(start, (wild.get(start) ?? new Set()).add(path))
    }
  }
  const matchers = new Map<string, (path: string) => boolean>()
  const matcherOf = (pattern: string) => {
    const known = matchers.get(pattern)
    if (known) return known
    const segments = pattern.split('/').map(segmentMatcher)
    const made = (path: string) => {
      const parts = path.split('/')
      return parts.length === segments.length && segments.every((fits, at) => fits(parts[at]!))
    }
    matchers.set(pattern, made)
    return made
  }
  const longest = Math.max(0, ...[...wild.keys()].map((start) => start.length))
  return ({ store, path }) => {
    const whole = `${store}\n${path}`
    if (exact.has(whole)) return true
    for (let at = Math.min(longest, whole.length); at > store.length; at--)
      for (const pattern of wild.get(whole.slice(0, at)) ?? []) if (matcherOf(pattern)(path)) return true
    return false
  }
}
