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
