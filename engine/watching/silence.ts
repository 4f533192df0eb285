import { groupBy } from '../../core/group'
import { median, unusual, type Unusual } from '../../core/usual/usual'
import type { Engine } from '../context/engine'
import type { Decision } from './decision'

/** What a load made of a row and slice, and what the slices before had. */
export interface LoadedSlice {
  readonly job: string
  readonly title: string
  readonly row: string
  readonly label: string
  readonly rows: number
  readonly run: number
  readonly at: string
  readonly before: readonly number[]
}

/** Loads that are looked at, the newest first. */
const most = 5000
/** Slices that ended longer ago (days) are loaded again, and nobody's morning. */
const recent = 10

const words: Readonly<Record<Unusual, readonly [one: string, many: string]>> = {
  none: ['has no rows', 'have no rows'],
  fewer: ['has far fewer rows than usual', 'have far fewer rows than usual'],
  more: ['has far more rows than usual', 'have far more rows than usual'],
}

/** What loads made of the slices that a select of mattock.coverage picks, each with the rows of the slices before; as `c`. */
export const withBefore = (picked: string): string =>
  `select c.job, coalesce(j.title, c.job) as title, c.row_key as row, c.slice_label as label, c.rows::float8 as rows, c.run_id as run, c.loaded_at as at,
     array(select p.rows::float8 from mattock.coverage p
       where p.job = c.job and p.environment = c.environment and p.part = c.part and p.row_key = c.row_key and p.slice_from < c.slice_from and p.loaded_by is not null
       order by p.slice_from desc limit 28) as before
   from (${picked}) c left join mattock.job j on j.name = c.job`

/**
 * Loads since a time whose rows are far from those of the slices before them (see {@link unusual}), grouped by job: they are
 * done, and nobody else says anything.
 */
export async function silence(engine: Engine, environment: string, since: string): Promise<Decision[]> {
  const { rows } = await engine.db.$client.query<LoadedSlice>(
    `${withBefore(`select * from mattock.coverage where environment = $1 and loaded_at >= $2 and slice_to > $2::timestamptz - make_interval(days => ${recent})
       order by loaded_at desc limit ${most}`)} order by c.loaded_at desc, c.row_key`,
    [environment, since],
  )
  const found = rows.flatMap((one) => {
    const what = unusual(one.rows, one.before)
    return what ? [{ ...one, what }] : []
  })
  return [...groupBy(found, ({ job, what }) => `${job} ${what}`).values()].map((list) =>
    silenceDecision(list, list[0]!.what),
  )
}

/** What is said of loads of one job that are far from usual in the same way, the newest first. */
export function silenceDecision(list: readonly LoadedSlice[], what: Unusual): Decision {
    const [first] = list
    const { job, title, row, label, run } = first!
    const [one, many] = words[what]
    return {
      kind: 'silence',
      key: `silence ${job} ${what} ${label}`,
      title: `${title}: ${list.length === 1 ? `${row === '' ? label : `${row} · ${label}`} ${one}` : `${list.length.toLocaleString('en')} loads ${many}`}`,
      text: [...list].sort((a, b) => (a.row < b.row ? -1 : 1)).slice(0, 3).map((load) => `${load.row === '' ? load.label : `${load.row} · ${load.label}`}: ${load.rows.toLocaleString('en')}, usually ${Math.round(median(load.before)!).toLocaleString('en')}`).join('; '),
      count: list.length,
      run,
      job,
      connection: null,
      latest: first!.at,
    }
} // prettier-ignore
