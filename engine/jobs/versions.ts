import { and, desc, eq, sql } from 'drizzle-orm'
import { didYouMean } from '../../core/expression/nearest'
import { fail, FaultError, type Fault } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import { prepared } from '../../database/prepared'
import { environment as environmentTable, job, jobPut, jobVersion } from '../../database/schema'
import type { Engine } from '../context/engine'

export type JobVersion = typeof jobVersion.$inferSelect

const newest = prepared((db) =>
  db.select().from(jobVersion).where(eq(jobVersion.job, sql.placeholder('name'))).orderBy(desc(jobVersion.version)).limit(1).prepare('newest version of a job'),
) // prettier-ignore

const putThere = prepared((db) =>
  db
    .select({ version: jobVersion })
    .from(jobPut)
    .innerJoin(jobVersion, eq(jobVersion.id, jobPut.versionId))
    .where(
      and(eq(jobPut.environment, sql.placeholder('environment')), eq(jobPut.job, sql.placeholder('name'))),
    )
    .orderBy(desc(jobPut.id))
    .limit(1)
    .prepare('version of a job in an environment'),
)

/** The newest version of a job, or the one numbered. @throws FaultError `unknown-name` */
export async function readVersion(engine: Engine, name: string, version?: number): Promise<JobVersion> {
  const [found] = await (version === undefined
    ? newest(engine.db).execute({ name })
    : engine.db
        .select()
        .from(jobVersion)
        .where(and(eq(jobVersion.job, name), eq(jobVersion.version, version))))
  return found ?? (await noVersion(engine, name, version))
}

/** The version of a job that runs in an environment. @throws FaultError `unknown-name` where none was put there */
export async function versionIn(engine: Engine, name: string, environment: string): Promise<JobVersion> {
  const [found] = await putThere(engine.db).execute({ name, environment })
  if (found) return found.version
  await readVersion(engine, name)
  const names = (await engine.db.select({ name: environmentTable.name }).from(environmentTable)).map(
    (one) => one.name,
  )
  if (!names.includes(environment))
    fail('unknown-name', `there is no environment "${environment}"${didYouMean(environment, names)}`)
  fail('unknown-name', `job "${name}" is not in ${environment}: nobody has put a version of it there`, {
    job: name,
  })
}

async function noVersion(engine: Engine, name: string, version: number | undefined): Promise<never> {
  if (version !== undefined) fail('unknown-name', `job ${name} has no version ${version}`, { job: name })
  const jobs = await engine.db.select({ name: job.name }).from(job)
  const near = didYouMean(
    name,
    jobs.map((one) => one.name),
  )
  fail('unknown-name', `there is no job "${name}"${near}`, { job: name })
}

/** The newest version of every job, by name. */
export async function newestVersions(engine: Engine): Promise<JobVersion[]> {
  return await engine.db
    .selectDistinctOn([jobVersion.job])
    .from(jobVersion)
    .orderBy(jobVersion.job, desc(jobVersion.version))
}

/** The versions that run in an environment, by the name of their job. */
export async function versionsIn(engine: Engine, environment: string): Promise<JobVersion[]> {
  const found = await engine.db
    .selectDistinctOn([jobPut.job], { version: jobVersion })
    .from(jobPut)
    .innerJoin(jobVersion, eq(jobVersion.id, jobPut.versionId))
    .where(eq(jobPut.environment, environment))
    .orderBy(jobPut.job, desc(jobPut.id))
  return found.map(({ version }) => version)
}

/** Which version of a job, or of all jobs, runs in which environment. */
export async function putVersions(
  engine: Engine,
  name?: string,
): Promise<{ job: string; environment: string; version: number; by: string; at: string }[]> {
  const { rows } = await engine.db.$client.query<{ job: string; environment: string; version: number; by: string; at: string }>(
    `select distinct on (p.job, e.position, e.name) p.job, p.environment, v.version, p.by, p.at
     from mattock.job_put p join mattock.job_version v on v.id = p.version_id join mattock.environment e on e.name = p.environment
     where $1::text is null or p.job = $1 order by p.job, e.position, e.name, p.id desc`,
    [name ?? null],
  ) // prettier-ignore
  return rows.map((row) => ({ ...row, at: new Date(row.at).toISOString() }))
}

/** Puts a version of a job into an environment: from now on it is what runs there. @throws FaultError `unknown-name` */
export async function putVersion(
  engine: Engine,
  { job: name, version, environment, by }: { job: string; version: number; environment: string; by: string },
): Promise<void> {
  const wanted = await readVersion(engine, name, version)
  await engine.db.transaction(async (tx) => {
    // two who put at once come one after the other
    await tx.execute(sql`select 1 from mattock.job where name = ${name} for update`)
    await putIfOther(tx, wanted, environment, by)
  })
}

async function putIfOther(
  tx: Pick<Engine['db'], 'execute'>,
  { id, job: name }: Pick<JobVersion, 'id' | 'job'>,
  environment: string,
  by: string,
): Promise<void> {
  await tx.execute(
    sql`insert into mattock.job_put (environment, job, version_id, by)
        select ${environment}, ${name}, ${id}, ${by}
        where ${id} is distinct from (select version_id from mattock.job_put p where p.environment = ${environment} and p.job = ${name} order by p.id desc limit 1)`,
  )
}

/** Name and title of every job, also of those whose text cannot be read any more. */
export async function titlesOfJobs(engine: Engine): Promise<{ job: string; title: string }[]> {
  return await engine.db.select({ job: job.name, title: job.title }).from(job).orderBy(job.name)
}

/** The document of a version; undefined where its text cannot be read any more. */
export function readableJob(version: Pick<JobVersion, 'text'>): Job | undefined {
  try {
    return documentOf(version)
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    return undefined
  }
}

/** Is it the text of a version that was saved, of whatever job? */
export async function isSaved(engine: Engine, text: string): Promise<boolean> {
  const [found] = await engine.db
    .select({ id: jobVersion.id })
    .from(jobVersion)
    .where(eq(jobVersion.text, text))
    .limit(1)
  return found !== undefined
}

/** Documents by their text, the last ones asked for: a version never changes, so each is parsed once. */
const parsed = new Map<string, Job>()
const parsedKept = 5000

/** The document of a saved version; it was checked when it was saved. */
export function documentOf({ text }: Pick<JobVersion, 'text'>): Job {
  const known = parsed.get(text)
  if (known) return known
  const { job: document, faults } = parseJob(text)
  if (!document) throw new FaultError(faults[0]!)
  parsed.set(text, document)
  if (parsed.size > parsedKept) parsed.delete(parsed.keys().next().value!)
  return document
}

/** A document that cannot be saved: every mistake with its line. */
export class DocumentError extends Error {
  constructor(readonly faults: readonly Fault[]) {
    super(faults[0]?.message ?? 'the document has mistakes')
    this.name = 'DocumentError'
  }
}

/**
 * Saves a text as the next version of its job, and puts it into the environments that `into` names: where its writer may
 * build. Left out, those are all. `base` is the version it was made from: where another has been saved
 * meanwhile, nothing is and a fault `conflict` says so.
 * @throws DocumentError where it cannot be read
 */
export async function saveJob(
  engine: Engine,
  text: string,
  {
    name,
    base,
    by,
    message = '',
    into,
  }: {
    name?: string
    base?: number | undefined
    by: string
    message?: string
    into?: readonly string[] | undefined
  },
): Promise<JobVersion> {
  const { job: document, faults, place } = parseJob(text)
  if (!document) throw new DocumentError(faults)
  if (name !== undefined && document.name !== name) {
    throw new DocumentError([
      {
        code: 'document',
        message: `this is job "${name}"; its name cannot be changed to "${document.name}"`,
        where: { path: 'name', ...place('name') },
      },
    ])
  }
  return await engine.db.transaction(async (tx) => {
    await tx
      .insert(job)
      .values({ name: document.name, title: document.title })
      .onConflictDoUpdate({ target: job.name, set: { title: document.title } })
    await tx.execute(sql`select 1 from mattock.job where name = ${document.name} for update`)
    const [newest] = await tx
      .select()
      .from(jobVersion)
      .where(eq(jobVersion.job, document.name))
      .orderBy(desc(jobVersion.version))
      .limit(1)
    if (newest && base === 0)
      fail('conflict', `there is a job "${document.name}" already; give this one another name`, {
        path: 'name',
      })
    if (newest && base !== undefined && newest.version !== base) {
      fail(
        'conflict',
        `${newest.by} saved version ${newest.version} meanwhile; yours was made from version ${base}`,
        { job: document.name },
      )
    }
    const saved =
      newest?.text === text
        ? newest
        : (
            await tx
              .insert(jobVersion)
              .values({ job: document.name, version: (newest?.version ?? 0) + 1, text, by, message })
              .returning()
          )[0]!
    const environments = into ?? (await tx.select({ name: environmentTable.name }).from(environmentTable)).map(({ name: one }) => one) // prettier-ignore
    for (const one of environments) await putIfOther(tx, saved, one, by)
    return saved
  })
}
