import { and, desc, eq, sql } from 'drizzle-orm'
import { didYouMean } from '../../core/expression/nearest'
import { fail, FaultError, type Fault } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import { prepared } from '../../database/prepared'
import { job, jobVersion } from '../../database/schema'
import type { Engine } from '../context/engine'

export type JobVersion = typeof jobVersion.$inferSelect

const newest = prepared((db) =>
  db.select().from(jobVersion).where(eq(jobVersion.job, sql.placeholder('name'))).orderBy(desc(jobVersion.version)).limit(1).prepare('newest version of a job'),
) // prettier-ignore

/** The newest version of a job, or the one numbered. @throws FaultError `unknown-name` */
export async function readVersion(engine: Engine, name: string, version?: number): Promise<JobVersion> {
  const [found] = await (version === undefined
    ? newest(engine.db).execute({ name })
    : engine.db
        .select()
        .from(jobVersion)
        .where(and(eq(jobVersion.job, name), eq(jobVersion.version, version))))
  if (found) return found
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
 * Saves a text as the next version of its job. `base` is the version it was made from: where another has been saved
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
  }: { name?: string; base?: number | undefined; by: string; message?: string },
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
    if (newest?.text === text) return newest
    const [saved] = await tx
      .insert(jobVersion)
      .values({ job: document.name, version: (newest?.version ?? 0) + 1, text, by, message })
      .returning()
    return saved!
  })
}
