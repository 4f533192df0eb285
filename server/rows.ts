import { fail } from '../core/fault'
import type { Job } from '../core/job/document'
import { withoutValues } from '../core/plan/findings/withoutValues'
import { may } from '../core/rights'
import { areOpen, refuseClosed } from '../engine/catalog/openRows'
import { documentOf, versionIn } from '../engine/jobs/versions'
import { readPlan, type StoredPlan } from '../engine/planning/stored'
import type { Asked } from './handler'

type Who = Pick<Asked, 'engine' | 'account'>

/** Does this account see all rows of an environment? Who may only look sees those of open datasets. */
export const seesAll = ({ account }: Pick<Who, 'account'>, environment: string): boolean =>
  may(account, 'run', environment)

/** Holds the rows of a job's rosters to who may see them. @throws FaultError `forbidden` */
export async function holdRosters(asked: Who, environment: string, job: Job): Promise<void> {
  if (!seesAll(asked, environment)) await refuseClosed(asked.engine, environment, job)
}

/** The same of a text; who may only look has none but those that were saved. */
export async function holdText(asked: Who, environment: string, text: string): Promise<void> {
  if (!seesAll(asked, environment)) await holdRosters(asked, environment, documentOf({ text }))
}

/** The same of the version of a job that runs there. */
export async function holdJob(asked: Who, environment: string, name: string): Promise<void> {
  if (!seesAll(asked, environment))
    await holdRosters(asked, environment, documentOf(await versionIn(asked.engine, name, environment)))
}

/** The same of a plan. */
export async function holdPlan(asked: Who, id: number): Promise<void> {
  const { rows } = await asked.engine.db.$client.query<{ environment: string; text: string }>(
    'select p.environment, v.text from mattock.plan p join mattock.job_version v on v.id = p.version_id where p.id = $1',
    [id],
  )
  const [found] = rows
  if (found && !seesAll(asked, found.environment))
    await holdRosters(asked, found.environment, documentOf({ text: found.text }))
}

/** A plan as its asker may see it. @throws FaultError `forbidden`, `unknown-name` */
export async function readPlanFor(asked: Who, id: number): Promise<StoredPlan> {
  await holdPlan(asked, id)
  const plan = await readPlan(asked.engine, id)
  return seesAll(asked, plan.environment) ? plan : { ...plan, findings: withoutValues(plan.findings) }
}

/** Holds rows of a place of a connection to who may see them. @throws FaultError `forbidden` */
export async function holdPlace(
  asked: Who,
  environment: string,
  connection: string,
  place: string,
): Promise<void> {
  if (seesAll(asked, environment) || (await areOpen(asked.engine, environment, connection, [place]))) return
  fail(
    'forbidden',
    `who may only look sees rows of datasets of the catalog that are not closed; ${place} is none`,
    { connection },
  )
}

/** Holds what is shown of a dataset's values to who may see them. @throws FaultError `forbidden` */
export function holdDataset(
  asked: Who,
  { environment, closed, name }: { environment: string; closed: boolean; name: string },
): void {
  if (closed && !seesAll(asked, environment))
    fail('forbidden', `${name} is closed: who may only look sees that it is there, and none of its rows`)
}
