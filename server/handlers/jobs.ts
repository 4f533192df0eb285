import { createHash } from 'node:crypto'
import { rosterText } from '../../core/job/rosters'
import { desc, eq, sql } from 'drizzle-orm'
import { jobVersion } from '../../database/schema'
import type { Outline } from '../../core/job/outline'
import { newestClosed } from '../../core/slice/slices'
import { clockNow } from '../../engine/context/clock'
import { documentOf, newestVersions, putVersion, putVersions, readVersion } from '../../engine/jobs/versions'
import { jobUses } from '../../engine/jobs/uses'
import { fail } from '../../core/fault'
import { groupBy } from '../../core/group'
import { may } from '../../core/rights'
import { readEnvironment } from '../../engine/planning/plan'
import type { PlannerAsks } from '../../engine/planner/asks'
import { environmentsWhere, holdShared } from '../everywhere'
import { mutable } from '../mutable'
import { plannerOf } from '../planner'
import { holdText } from '../rows'
import type { Asked, Handlers } from '../handler'

/** What texts say by their SHA-256, those asked for last: a text never says anything else. */
const said = new Map<string, Awaited<ReturnType<PlannerAsks['readText']>>>()
const saidKept = 200

/** What a text says. It may take its time: it is not read where others wait. */
async function textOf(asked: Asked, text: string) {
  const key = createHash('sha256').update(text).digest('base64')
  const known = said.get(key)
  if (known) return known
  const read = await plannerOf(asked, 'readText', text)
  said.set(key, read)
  if (said.size > saidKept) said.delete(said.keys().next().value!)
  return read
}

/** An outline with lists that may be changed, as the contract has them. */
const plainOutline = (outline: Outline) => structuredClone(outline) as never

export const jobHandlers: Pick<
  Handlers,
  | 'jobs'
  | 'jobUses'
  | 'job'
  | 'saveJob'
  | 'putJob'
  | 'checkDocuments'
  | 'bringInJobs'
  | 'checkJob'
  | 'resolveJob'
  | 'mapping'
  | 'jobEffect'
  | 'previewRoster'
> = {
  jobs: async ({ engine }) => {
    const { rows: last } = await engine.db.$client.query<{
      job: string
      id: number
      state: never
      at: string
    }>(
      `select distinct on (job) job, id, state, created_at as at from mattock.run order by job, created_at desc`,
    )
    const put = groupBy(await putVersions(engine), (one) => one.job)
    return (await newestVersions(engine)).map((version) => {
      const job = documentOf(version)
      const run = last.find((entry) => entry.job === job.name)
      return {
        name: job.name,
        title: job.title,
        tags: job.tags,
        version: version.version,
        runsIn: (put.get(version.job) ?? []).map((one) => ({
          environment: one.environment,
          version: one.version,
        })),
        savedAt: version.createdAt,
        savedBy: version.by,
        slices: job.slices ? `${job.slices.every}, ${job.slices.zone}` : null,
        rosters: job.parts.flatMap((part) => (part.each ? [rosterText(part.each.roster)] : [])),
        steps: job.parts.reduce((sum, part) => sum + (part.once ?? part.do ?? []).length, 0),
        lastRun: run ? { id: run.id, state: run.state, at: run.at } : null,
      }
    })
  },
  job: async (asked, { params, query }) => {
    const { engine } = asked
    const version = await readVersion(engine, params.name, query.version)
    const versions = await engine.db
      .select({
        version: jobVersion.version,
        at: jobVersion.createdAt,
        by: jobVersion.by,
        message: jobVersion.message,
      })
      .from(jobVersion)
      .where(eq(jobVersion.job, params.name))
      .orderBy(desc(jobVersion.version))
    const document = documentOf(version)
    const { outline } = await textOf(asked, version.text)
    return {
      name: params.name,
      version: version.version,
      newest: versions[0]!.version,
      text: version.text,
      savedAt: version.createdAt,
      savedBy: version.by,
      message: version.message,
      versions,
      runsIn: (await putVersions(engine, params.name)).map(({ job: _, ...one }) => one),
      outline: plainOutline(outline!),
      newestSlice: document.slices
        ? (newestClosed(document.slices, new Date(await clockNow(engine)).toISOString())?.label ?? null)
        : null,
    }
  },
  saveJob: async (asked, { params, body }) => {
    const { engine, account } = asked
    const { version } = await plannerOf(asked, 'saveJob', body.text, {
      name: params.name,
      base: body.base,
      by: account.name,
      message: body.message,
      into: await environmentsWhere(asked, 'build'),
    })
    await engine.db.execute(sql`select pg_notify('mattock', '{}')`)
    const put = new Map((await putVersions(engine, params.name)).map((one) => [one.environment, one.version]))
    const all = await engine.db.query.environment.findMany({ columns: { name: true } })
    const stays = all
      .map(({ name: environment }) => ({ environment, version: put.get(environment) ?? null }))
      .filter((one) => one.version !== version)
    return { version, stays }
  },
  putJob: async ({ engine, account }, { params, body }) => {
    await putVersion(engine, {
      job: params.name,
      version: body.version,
      environment: (await readEnvironment(engine, params.environment)).name,
      by: account.name,
    })
    await engine.db.execute(sql`select pg_notify('mattock', '{}')`)
    return {}
  },
  checkJob: async (asked, { body }) => {
    const { outline, faults } = await textOf(asked, body.text)
    return {
      outline: outline && plainOutline(outline),
      faults: faults.map(({ code, message, where }) => ({ code, message, where: { ...where } })),
    }
  },
  jobUses: async ({ engine }, { params, query }) =>
    mutable(await jobUses(engine, params.name, query.environment)) as never,
  checkDocuments: async (asked, { body }) =>
    mutable(await plannerOf(asked, 'checkDocuments', body.documents, body.environment)) as never,
  bringInJobs: async (asked, { body }) => {
    const { account } = asked
    const { connections, values } = body.given
    const sets = Object.keys(values).length > 0 || Object.values(connections).some((one) => !('use' in one))
    if (sets && !may(account, 'house'))
      fail('forbidden', 'what is missing are connections or values of the environment; who runs the house sets those up') // prettier-ignore
    if (Object.values(body.given.controls).some((one) => !('use' in one)))
      await holdShared(asked, 'a new control table')
    const into = await environmentsWhere(asked, 'build')
    return await plannerOf(asked, 'bringInJobs', { ...body, by: account.name, into })
  },
  jobEffect: async (asked, { params, body }) => {
    await holdText(asked, body.environment, body.text)
    return mutable(await plannerOf(asked, 'effectOfText', { job: params.name, ...body }))
  },
  previewRoster: async (asked, { body }) => {
    await holdText(asked, body.environment, body.text)
    return mutable(await plannerOf(asked, 'previewRoster', body))
  },
  mapping: async (asked, { body }) => {
    await holdText(asked, body.environment, body.text)
    return mutable(await plannerOf(asked, 'mappingSheet', body))
  },
  resolveJob: async (asked, { body }) => {
    await holdText(asked, body.environment, body.text)
    return mutable(await plannerOf(asked, 'resolveLoad', body)) as never
  },
}
