import { eq, inArray } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { oneJobFor, type OneJob, type OneJobAsk } from '../../core/job/forDatasets'
import { parseJob } from '../../core/job/parse'
import { dataset } from '../../database/catalog'
import { job as jobTable } from '../../database/schema'
import type { Engine } from '../context/engine'
import { createControl } from '../control/tables'
import { DocumentError, saveJob } from '../jobs/versions'

/** What one job for these datasets would be: its control rows and its document. */
export async function draftOneJob(engine: Engine, ids: readonly number[], ask: OneJobAsk): Promise<OneJob> {
  const found = await engine.db
    .select()
    .from(dataset)
    .where(inArray(dataset.id, [...ids]))
    .orderBy(dataset.name)
  return oneJobFor(
    found.map(({ keyByHand, keyFound, columns, ...entry }) => ({
      ...entry,
      key: keyByHand ?? keyFound,
      folders: columns.filter(({ fromFolder }) => fromFolder).map(({ name }) => name),
    })),
    ask,
  )
}

/**
 * Makes the control table and the job.
 * @throws FaultError `conflict` where a job or control table of that name is there, DocumentError for a name that is none
 */
export async function makeOneJob(
  engine: Engine,
  ids: readonly number[],
  ask: OneJobAsk,
  by: string,
): Promise<OneJob> {
  const drafted = await draftOneJob(engine, ids, ask)
  if (drafted.control.rows.length === 0) fail('request', 'none of these datasets can be loaded this way')
  const { job, faults } = parseJob(drafted.document)
  if (!job) throw new DocumentError(faults)
  const [there] = await engine.db.select().from(jobTable).where(eq(jobTable.name, ask.job))
  if (there) fail('conflict', `there is a job "${ask.job}" already; give this one another name`)
  await createControl(engine, {
    name: ask.control,
    title: `What ${ask.title} loads`,
    table: drafted.control,
    rules: {
      dataset: { required: true },
      kind: { required: true, one_of: ['table', 'files', 'service'] },
      source: { required: true, names: 'connection' },
      place: { required: true },
      target: { required: true },
    },
    by,
  })
  await saveJob(engine, drafted.document, {
    by,
    message: `for ${drafted.control.rows.length} datasets of the catalog`,
  })
  return drafted
}
