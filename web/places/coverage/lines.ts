import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { cellState, isGap, type CellState } from '../../../core/coverage/cells'
import { groupBy } from '../../../core/group'
import { stretches, type Picked } from '../../../core/coverage/stretches'
import type { BarState } from '../../look/Bars'
import { usual } from '../../look/Strip'

export type Coverage = Answer<typeof routes.coverage>
export type CoverageJob = Coverage['jobs'][number]
export type CoverageRow = CoverageJob['rows'][number]

/** Slices of a job as numbers, worked out once. */
export interface Times {
  readonly from: readonly number[]
  readonly to: readonly number[]
}

/** A slice as it is drawn where that is not what became of it. */
export interface Drawn {
  readonly state: BarState
  /** Share of it under an ochre cap. */
  readonly capped: number
}

/** A row as it is shown. */
export interface RowLine {
  readonly kind: 'row'
  readonly id: string
  readonly title: string
  readonly job: CoverageJob
  readonly row: CoverageRow
  readonly times: Times
  /** The middle of what its slices have. */
  readonly usual: number
  /** Rows rejected, by the slice's place. */
  readonly rejected: ReadonlyMap<number, number>
  /** How each slice is drawn, where that is not what became of it. */
  readonly drawn?: readonly Drawn[]
  /** A slice in words, where they are others. */
  readonly said?: (slice: number) => string
  /** What its gaps are, where not missing or failed. */
  readonly gapsAre?: string
}

/** What stands above rows that belong together. */
export interface GroupLine {
  readonly kind: 'group'
  readonly id: string
  readonly title: string
  readonly rows: number
  readonly gaps: number
  /** What is to be known of it. */
  readonly note: string | null
  /** The job, where the group is one. */
  readonly job: string | null
  readonly gapsAre?: string
}

export type Line = RowLine | GroupLine

export interface Shown {
  /** A column that rows are put together by; by their jobs where there is none. */
  readonly by: string
  /** Rows only of which something is missing. */
  readonly gapsOnly: boolean
  readonly wanted: string
}

/** The lines of the sheet: rows under what they are put together by. */
export function linesOf(jobs: readonly CoverageJob[], { by, gapsOnly, wanted }: Shown): Line[] {
  const groups = new Map<string, { title: string; rows: RowLine[]; note: string | null; job: string | null }>()
  const search = wanted.trim().toLowerCase()
  for (const job of jobs) {
    const times = { from: job.slices.map(({ from }) => Date.parse(from)), to: job.slices.map(({ to }) => Date.parse(to)) }
    const column = job.columns.indexOf(by)
    const parts = new Map(job.parts.map(({ part, title }) => [part, title]))
    // of a job that is shown whole its remarks are, too
    if (by === '') groups.set(job.job, { title: job.title, rows: [], note: noteOf(job), job: job.job })
    for (const row of job.rows) {
      const title = [parts.get(row.part), row.row].filter((text) => text).join(' · ') || job.title
      if (search !== '' && !`${title} ${job.title} ${row.values.join(' ')}`.toLowerCase().includes(search)) continue
      if (gapsOnly && row.gaps === 0) continue
      const value = by === '' ? job.job : column < 0 ? '' : (row.values[column] ?? '')
      const group = groups.get(value) ?? { title: value === '' ? `without ${by}` : value, rows: [], note: null, job: null }
      groups.set(value, group)
      group.rows.push({
        kind: 'row',
        id: `${job.job}\n${row.part}\n${row.row}`,
        title: by === '' || jobs.length === 1 ? title : `${title} · ${job.title}`,
        job,
        row,
        times,
        usual: usual(row.rows),
        rejected: new Map(row.rejected),
      })
    }
  }
  const lines: Line[] = []
  for (const [value, { title, rows, note, job }] of by === '' ? groups : [...groups].sort(([a], [b]) => a.localeCompare(b))) {
    if (rows.length === 0 && (note === null || gapsOnly || search !== '')) continue
    lines.push({ kind: 'group', id: `group ${value}`, title, rows: rows.length, gaps: rows.reduce((sum, { row }) => sum + row.gaps, 0), note, job })
    lines.push(...rows)
  }
  return lines
} // prettier-ignore

function noteOf({ without, trouble, rows }: CoverageJob): string | null {
  if (without !== null) return without
  if (trouble !== null) return `those that were loaded; ${trouble}`
  return rows.length === 0 ? 'it loops over no row now, and nothing of it was loaded in this span' : null
}

/** A slice of a row. */
export interface Place {
  readonly line: number
  readonly slice: number
}

/** The slice of a row that holds a time, or the nearest; -1 where it has none. */
export function sliceAt({ from, to }: Times, time: number): number {
  let low = 0
  let high = from.length - 1
  while (low <= high) {
    const middle = (low + high) >> 1
    if (to[middle]! <= time) low = middle + 1
    else if (from[middle]! > time) high = middle - 1
    else return middle
  }
  return from.length === 0 ? -1 : Math.min(Math.max(0, low), from.length - 1)
}

export const stateOf = ({ row }: RowLine, slice: number): CellState => cellState(row.letters[slice] ?? 'N')

/** What names a slice of a row among those that are picked. */
export const pickKey = (line: RowLine, slice: number): string => `${line.id}\t${slice}`

/** The slices within a rectangle of rows and time, those that are not asked for excepted. */
export function within(lines: readonly Line[], a: Place, b: Place): string[] {
  const [first, last] = [Math.min(a.line, b.line), Math.max(a.line, b.line)]
  const spanOf = ({ line, slice }: Place) => {
    const { times } = lines[line] as RowLine
    return [times.from[slice]!, times.to[slice]!] as const
  }
  const [one, other] = [spanOf(a), spanOf(b)]
  const [from, to] = [Math.min(one[0], other[0]), Math.max(one[1], other[1])]
  const keys: string[] = []
  for (const line of lines.slice(first, last + 1)) {
    if (line.kind === 'group') continue
    for (let slice = sliceAt(line.times, from); slice >= 0 && slice < line.times.from.length && line.times.from[slice]! < to; slice++)
      if (line.times.to[slice]! > from && stateOf(line, slice) !== 'nothing') keys.push(pickKey(line, slice))
  }
  return keys
} // prettier-ignore

/** What is picked of a job. */
export interface PickedOfJob {
  readonly job: CoverageJob
  readonly slices: number
  readonly stretches: readonly (Picked & { readonly part: string })[]
  readonly rows: number
  readonly from: number
  readonly to: number
}

/** What is picked, by job, as stretches. */
export function pickedByJob(lines: readonly Line[], picked: ReadonlySet<string>): PickedOfJob[] {
  const jobs = new Map<string, { job: CoverageJob; spans: (Picked & { part: string })[] }>()
  for (const line of lines) {
    if (line.kind === 'group') continue
    line.times.from.forEach((from, slice) => {
      if (!picked.has(pickKey(line, slice))) return
      const one = jobs.get(line.job.job) ?? { job: line.job, spans: [] }
      jobs.set(line.job.job, one)
      one.spans.push({ row: line.row.row, part: line.row.part, from, to: line.times.to[slice]! })
    })
  }
  return [...jobs.values()].map(({ job, spans }) => {
    const joined = [...groupBy(spans, ({ part }) => part)].flatMap(([part, own]) => stretches(own).map((one) => ({ ...one, part })))
    return {
      job,
      slices: spans.length,
      stretches: joined,
      rows: new Set(spans.map(({ row, part }) => `${part}\n${row}`)).size,
      from: spans.reduce((least, { from }) => Math.min(least, from), Infinity),
      to: spans.reduce((most, { to }) => Math.max(most, to), -Infinity),
    }
  })
} // prettier-ignore

/** The next slice of which what should be there is not, after a place, row by row; undefined where there is none. */
export function nextGap(lines: readonly Line[], after: Place | undefined): Place | undefined {
  for (let step = 0; step <= lines.length; step++) {
    const at = ((after?.line ?? 0) + step) % lines.length
    const line = lines[at]
    if (!line || line.kind === 'group') continue
    const begins = step === 0 && after ? after.slice + 1 : 0
    for (let slice = begins; slice < line.times.from.length; slice++) if (isGap(stateOf(line, slice))) return { line: at, slice }
  }
  return undefined
} // prettier-ignore
