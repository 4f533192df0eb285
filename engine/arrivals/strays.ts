import { nearestRow, proposedRow } from '../../core/arrivals/nearest'
import type { Row } from '../../core/value'
import type { FileFact } from '../../core/plan/types'
import type { Engine } from '../context/engine'
import { expectedElsewhere, kindOf, type Lying } from './elsewhere'
import type { Searched } from './searched'

/** Files that no row expects and that are called alike, but for dates and numbers; told by the newest. */
export interface Stray {
  readonly store: string
  readonly path: string
  readonly size: number
  readonly modified: string
  /** Files that are called so. */
  readonly count: number
  readonly nearest: { readonly job: string; readonly row: string; readonly name: string } | null
  /** A control row by which it would be expected. */
  readonly proposed: Row | null
  /** The control table of that row. */
  readonly control: string | null
}

/** Kinds of strays that are told at most, the newest. */
const mostStrays = 100

/** Files of the folders that jobs look into, which came in the span and which no row expects, of whatever slice. */
export async function straysOf(engine: Engine, { environment, from, until, now }: { environment: string; from: string; until: string; now: number }, known: readonly Searched[]): Promise<Stray[]> {
  const strays = new Map<string, { store: string; path: string; size: number; modified: string; count: number }>()
  const stores = new Set(known.flatMap(({ folders }) => [...folders.keys()]))
  for (const store of stores) {
    const own = known.filter(({ folders }) => folders.has(store))
    const expected = new Set(own.flatMap(({ paths }) => [...(paths.get(store) ?? [])]))
    const folders = new Set(own.flatMap((one) => [...one.folders.get(store)!]))
    const lying: (FileFact & { store: string })[] = []
    for (const folder of folders)
      for (const file of await own[0]!.listers.get(store)!.findAny(`${folder}*`, expected))
        if (Date.parse(file.modified) >= Date.parse(from) && Date.parse(file.modified) < Date.parse(until)) lying.push({ ...file, store })
    let left: readonly (typeof lying)[number][] = lying
    for (const one of own) {
      const elsewhere = new Set<Lying>(await expectedElsewhere(engine, one, { environment, now, until: Math.min(now, Date.parse(until)) }, left))
      left = left.filter((file) => !elsewhere.has(file))
    }
    for (const file of left) {
      const { path, size, modified } = file
      const kind = kindOf(file)
      const before = strays.get(kind)
      if (before && before.modified >= modified) before.count++
      else strays.set(kind, { store, path, size, modified, count: (before?.count ?? 0) + 1 })
    }
  }
  return [...strays.values()]
    .sort((a, b) => Date.parse(b.modified) - Date.parse(a.modified))
    .slice(0, mostStrays)
    .map((stray) => ({ ...stray, ...likeliest(stray.path, stray.store, known.filter(({ folders }) => folders.has(stray.store))) }))
} // prettier-ignore

/** The row whose files are called most like a stray, and a row of its control table by which that would be expected. */
function likeliest(path: string, store: string, known: readonly Searched[]): Pick<Stray, 'nearest' | 'proposed' | 'control'> {
  const name = path.slice(path.lastIndexOf('/') + 1)
  for (const { job, names } of known) {
    const own = names.get(store) ?? []
    const near = nearestRow(name, own)
    const values = own.find(({ row }) => row === near?.row)?.values
    if (!near || !values) continue
    const proposed = proposedRow(name, near.name, values) ?? null
    const control = job.parts.map(({ each }) => each?.roster.control).find((one) => one !== undefined) ?? null
    return { nearest: { job: job.name, row: near.row, name: near.name }, proposed, control: proposed && control }
  }
  return { nearest: null, proposed: null, control: null }
} // prettier-ignore
