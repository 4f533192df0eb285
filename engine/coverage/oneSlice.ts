import type { LoadError } from '../../database/records'
import type { Engine } from '../context/engine'

export interface SliceAsk {
  readonly environment: string
  readonly job: string
  readonly part: string
  readonly row: string
  /** ISO 8601 instants, half-open. */
  readonly from: string
  readonly to: string
  /** As the page shows it; loads that have not ended yet are found by it. */
  readonly label?: string | undefined
}

/** A load of a row and slice. */
export interface SliceLoad {
  readonly id: number
  readonly run: number
  readonly state: string
  readonly at: string | null
  readonly by: string
  readonly cause: string
  readonly read: number
  readonly rows: number
  readonly rejected: number
  readonly message: string | null
}

/** A run of another job that read what a load had written. */
export interface SliceUse {
  readonly job: string
  readonly title: string
  readonly run: number
  readonly at: string
  readonly place: string
  /** The slice that it was read for; null where its job has none. */
  readonly label: string | null
}

export interface OneSlice {
  /** The newest first. */
  readonly loads: readonly SliceLoad[]
  /** Loads there were, also those that are no longer kept. */
  readonly total: number
  /** Rows of the slices of the row around it: the middle of the last 28 that were loaded before it; null where there were none. */
  readonly usual: number | null
  readonly files: readonly { readonly path: string; readonly store: string; readonly size: number; readonly modified: string; readonly did: string }[]
  readonly places: readonly string[]
  readonly uses: readonly SliceUse[]
} // prettier-ignore

/** What is told of the loads of one slice at most. */
const most = 50

/** Everything that is known of one row and slice: its loads, files and what was made of it since. */
export async function readSlice(engine: Engine, { environment, job, part, row, from, to, label: shown }: SliceAsk): Promise<OneSlice> {
  const { rows: known } = await engine.db.$client.query<{ loads: number; loaded: string | null; label: string }>(
    `select loads, loaded_by::text as loaded, slice_label as label from mattock.coverage
     where environment = $1 and job = $2 and part = $3 and row_key = $4 and slice_from = $5 and slice_to = $6`,
    [environment, job, part, row, from, to],
  )
  const [{ rows: loads }, { rows: usual }] = await Promise.all([
    engine.db.$client.query<Omit<SliceLoad, 'message'> & { error: LoadError | null }>(
      // by its key, which is what loads are found by
      `select l.id::float8 as id, l.run_id as run, l.state, l.ended_at as at, r.by, r.cause, l.read, (l.written + l.unchanged + l.merged)::float8 as rows, l.rejected, l.error
       from mattock.load l join mattock.run r on r.id = l.run_id
       where l.key = any ($7) and coalesce(l.row_key, '') = $4 and l.slice_from = $5 and l.slice_to = $6 and r.job = $2 and r.environment = $1
         and coalesce((select p.id from mattock.run_part p where p.run_id = l.run_id and p.part = l.part), '#' || l.part) = $3
       order by l.id desc limit ${most}`,
      [environment, job, part, row, from, to, keysOf(row, [known[0]?.label, shown])],
    ),
    engine.db.$client.query<{ usual: number | null }>(
      `select percentile_cont(0.5) within group (order by rows)::float8 as usual from (
         select rows from mattock.coverage where environment = $1 and job = $2 and part = $3 and row_key = $4 and slice_from < $5 and loaded_by is not null
         order by slice_from desc limit 28) before`,
      [environment, job, part, row, from],
    ),
  ])
  const loaded = known[0]?.loaded ?? null
  const [files, uses] = loaded === null ? [[], []] : await Promise.all([filesOf(engine, loaded), usesOf(engine, environment, job, loaded)])
  return {
    loads: loads.map(({ error, ...load }) => ({ ...load, message: error?.message ?? null })),
    total: known[0]?.loads ?? loads.length,
    usual: usual[0]?.usual ?? null,
    files,
    places: [...new Set(uses.map(({ place }) => place))],
    uses,
  }
} // prettier-ignore

/** The keys that loads of it have. */
const keysOf = (row: string, labels: readonly (string | undefined)[]): string[] =>
  labels.flatMap((label) =>
    label === undefined ? [] : [[row, label].filter((text) => text !== '').join(' · ')],
  )

async function filesOf(engine: Engine, load: string): Promise<OneSlice['files']> {
  const { rows } = await engine.db.$client.query<OneSlice['files'][number]>(
    `select f.path, f.store, f.size, f.modified, coalesce(f.did, 'read') as did
     from mattock.load_step s cross join lateral jsonb_to_recordset(s.files) f(path text, store text, size float8, modified text, did text)
     where s.load_id = $1 order by s.position limit ${most}`,
    [load],
  )
  return rows
}

/** The first run of each other job that read, after a load, what it had written. */
async function usesOf(engine: Engine, environment: string, job: string, load: string): Promise<SliceUse[]> {
  const { rows } = await engine.db.$client.query<SliceUse>(
    `select distinct on (u.job, u.slice_from) u.job, u.title, u.run, u.at, u.place, u.label from (
       select t.job, r.title, t.run_id as run, t.at, t.connection || '.' || t.locator as place, l.slice_label as label, l.slice_from
       from mattock.touch w join mattock.touch t on t.environment = w.environment and t.connection = w.connection and t.locator = w.locator
         and t.direction = 'read' and t.at >= w.at and t.job <> w.job
       join mattock.run r on r.id = t.run_id join mattock.load l on l.id = t.load_id join mattock.load o on o.id = w.load_id
       where w.load_id = $3 and w.environment = $1 and w.job = $2 and w.direction = 'write'
         -- one that goes through slices read this one only where they meet
         and (l.slice_from is null or l.slice_from < o.slice_to and l.slice_to > o.slice_from)
       order by t.at limit 1000) u
     order by u.job, u.slice_from, u.at limit ${most}`,
    [environment, job, load],
  )
  return rows
}
