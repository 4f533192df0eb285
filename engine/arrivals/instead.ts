import { expectsFiles } from '../../core/job/expectsFiles'
import type { Job } from '../../core/job/document'
import type { InsteadFile } from '../../core/plan/types'
import type { Engine } from '../context/engine'

/** Files of which somebody said that they are taken in place of what rows of a job name. */
export async function insteadFiles(engine: Engine, environment: string, job: Job): Promise<InsteadFile[]> {
  if (!expectsFiles(job)) return []
  const { rows } = await engine.db.$client.query<InsteadFile>(
    `select part, row_key as row, slice_from as "from", replaces, file, by, why from mattock.arrival_answer
     where environment = $1 and job = $2 and kind = 'instead'`,
    [environment, job.name],
  )
  return rows
}

/** A file that a load took in. */
interface TakenIn {
  readonly size: number
  readonly modified: string
}

/** The key of a row and slice: its part, its row, and the beginning of its slice. */
export const placeKey = (part: string, row: string, from: string): string =>
  `${part}\n${row}\n${Date.parse(from)}`

/** Of the rows and slices for which another file is taken: that file, as the load that they are loaded by took it in. */
export async function takenInstead(engine: Engine, environment: string, job: string): Promise<ReadonlyMap<string, TakenIn>> {
  const { rows } = await engine.db.$client.query<TakenIn & { part: string; row: string; from: string }>(
    `select a.part, a.row_key as row, a.slice_from as "from", (f.file ->> 'size')::float8 as size, f.file ->> 'modified' as modified
     from mattock.arrival_answer a
     join mattock.coverage c on c.environment = a.environment and c.job = a.job and c.part = a.part and c.row_key = a.row_key and c.slice_from = a.slice_from
     join mattock.load_step s on s.load_id = c.loaded_by cross join lateral jsonb_array_elements(s.files) f(file)
     where a.environment = $1 and a.job = $2 and a.kind = 'instead' and f.file ->> 'path' = a.file`,
    [environment, job],
  )
  return new Map(rows.map(({ part, row, from, ...taken }) => [placeKey(part, row, from), taken]))
} // prettier-ignore
