import { arrivalState } from '../../../core/arrivals/arrival'
import type { Line } from '../coverage/lines'
import { shown, type Arrivals } from './words'

/** The feeds as lines of a sheet along the days, under their jobs. */
export function linesOf({ jobs }: Arrivals, overdueOnly: boolean): Line[] {
  return jobs.flatMap(({ job, title, zone, slices, feeds }): Line[] => {
    const wanted = feeds.filter(({ overdue }) => !overdueOnly || overdue > 0)
    if (wanted.length === 0) return []
    const times = { from: slices.map(({ from }) => Date.parse(from)), to: slices.map(({ to }) => Date.parse(to)) }
    const own = { job, title, zone, every: '', slices, parts: [], columns: [], rows: [], restatedFrom: null, trouble: null, without: null }
    const rows = wanted.map(({ part, row, letters, overdue }): Line => {
      const states = [...letters].map(arrivalState)
      return {
        kind: 'row',
        id: `${job}\n${part}\n${row}`,
        title: row,
        job: own,
        // as what is covered: late and missing are gaps, what is not asked for is nothing
        row: { part, row, there: true, values: [], letters: states.map((state) => (state === 'late' || state === 'missing' ? 'M' : state === 'unasked' ? 'N' : 'L')).join(''), rows: [], rejected: [], gaps: overdue },
        times,
        usual: 0,
        rejected: new Map(),
        drawn: states.map((state) => shown[state]),
        gapsAre: 'late or missing',
        said: (slice) => shown[states[slice] ?? 'unasked'].words,
      }
    })
    return [{ kind: 'group', id: `group ${job}`, title, rows: rows.length, gaps: wanted.reduce((sum, { overdue }) => sum + overdue, 0), note: null, job, gapsAre: 'late or missing' }, ...rows]
  })
} // prettier-ignore
