import { textsOfStep } from '../../core/plan/texts'
import { slotLabel } from '../../core/job/slots'
import { and, eq, sql, type SQL } from 'drizzle-orm'
import { resolvedText } from '../../core/plan/differing'
import { stopsFor } from '../../core/plan/plan'
import { valueText } from '../../core/value'
import { jobVersion, plannedLoad, type PlanMark, type StoredPart } from '../../database/schema'
import { documentOf } from '../../engine/jobs/versions'
import {
  planLoadsSql,
  readLoad,
  readLoads,
  readPlanParts,
  type StoredLoad,
} from '../../engine/planning/stored'
import { otherPlans } from '../../engine/planning/views'
import type { Handlers } from '../handler'
import { mutable } from '../mutable'
import { plannerOf } from '../planner'
import { holdJob, holdPlan, readPlanFor } from '../rows'

interface Wanted {
  readonly code?: string | undefined
  readonly search?: string | undefined
  readonly left?: 'yes' | 'no' | undefined
}

/** Which loads of a page: over `l`, `r` and `s` of `planLoadsSql`. */
function fits({ code, search, left }: Wanted, marks: readonly PlanMark[]): SQL | undefined {
  const holds = (text: SQL) => sql`strpos(lower(${text}), lower(${search})) > 0`
  return and(
    code
      ? sql`l.mark = any (${sql.param(marks.flatMap(({ codes }, mark) => (codes.includes(code) ? [mark] : [])))}::int[])`
      : undefined,
    left ? sql`l."left" = ${left === 'yes'}` : undefined,
    search
      ? sql`(${holds(sql`concat_ws(' · ', coalesce(r.key, l.title), s.label)`)} or ${holds(sql`r.resolved::text`)}
          or ${holds(sql`s.resolved::text`)} or ${holds(sql`l.resolved::text`)})`
      : undefined,
  )
}

export const planHandlers: Pick<
  Handlers,
  'makePlan' | 'plan' | 'planLoads' | 'planLoad' | 'leaveOut' | 'otherPlans' | 'comparePlans' | 'forecastPlan'
> = {
  makePlan: async (asked, { body }) => {
    await holdJob(asked, body.environment, body.job)
    return await plannerOf(asked, 'makePlan', { ...body, by: asked.account.name })
  },
  plan: async (asked, { params }) => {
    const { engine } = asked
    const found = await readPlanFor(asked, params.id)
    const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, found.versionId))
    const left = await engine.db
      .select({ number: plannedLoad.number })
      .from(plannedLoad)
      .where(and(eq(plannedLoad.planId, params.id), plannedLoad.left))
    const stops = stopsFor(found.findings, new Set(left.map(({ number }) => number)))
    return {
      id: found.id,
      job: found.job,
      title: documentOf(version!).title,
      version: version!.version,
      environment: found.environment,
      createdAt: found.createdAt,
      by: found.by,
      parameters: { ...found.parameters },
      only: found.only,
      span: found.span,
      picks: found.picks,
      loads: found.loads,
      left: left.length,
      parts: found.parts.map((part) => mutable(part)) as never,
      // a page needs no more than some of the loads' numbers; the filter asks the server for the rest
      findings: found.findings.map((finding) => ({
        ...finding,
        where: { ...finding.where, count: finding.loads.length },
        loads: finding.loads.slice(0, 50),
      })),
      forecast: found.forecast ? mutable({ ...found.forecast, limits: found.forecast.limits ?? [], running: found.forecast.running ?? [], draws: found.forecast.draws ?? 1 }) : null, // prettier-ignore
      stops: stops.length,
    }
  },
  planLoads: async (asked, { params, query }) => {
    const { engine } = asked
    await holdPlan(asked, params.id)
    const plan = await readPlanParts(engine, params.id)
    const where = fits(query, plan.marks)
    const total = where
      ? (await engine.db.execute<{ n: number }>(sql`select count(*)::int as n from ${planLoadsSql} where l.plan_id = ${params.id} and ${where}`)).rows[0]!.n // prettier-ignore
      : plan.loads
    const page = where
      ? { where, offset: query.offset }
      : // numbers are places, so that the last page is as near as the first
        { where: sql`l.number >= ${query.offset}` }
    const loads = await readLoads(engine, plan, { ...page, limit: query.limit })
    return {
      total,
      loads: loads.map((load) => ({
        number: load.number,
        part: load.part,
        key: load.key,
        each: load.row !== null,
        cells: cellsOf(load, plan.parts[load.part]!),
        files: mutable(load.files),
        codes: load.codes,
        left: load.left,
      })),
    }
  },
  planLoad: async (asked, { params }) => {
    const { engine } = asked
    const plan = await readPlanFor(asked, params.id)
    const load = await readLoad(engine, plan, params.number)
    const part = plan.parts[load.part]!
    return {
      number: load.number,
      part: load.part,
      key: load.key,
      row: load.row && { ...load.row },
      slice: load.slice,
      left: load.left,
      files: mutable(load.files),
      steps: part.steps.map(({ id, title, kind }) => ({
        id,
        title,
        kind,
        texts: textsOfStep(part, load, id).map(({ slot, resolved }) => ({
          path: slot.path,
          label: slotLabel(slot.path),
          written: slot.text,
          resolved: resolved && resolved.kind !== 'later' ? resolved.text : null,
          values: resolved?.kind === 'sql' ? [...resolved.values] : null,
          later: resolved?.kind === 'later',
        })),
      })),
      findings: plan.findings
        .filter(({ loads }) => loads.includes(load.number))
        .map(({ code, level, message }) => ({ code, level, message })),
    }
  },
  leaveOut: async ({ engine }, { params, body }) => {
    const which = body.numbers
      ? sql`l.number = any (${sql.param(body.numbers)}::int[])`
      : (fits({ code: body.code, search: body.search }, (await readPlanParts(engine, params.id)).marks) ??
        sql`true`)
    const { rowCount } = await engine.db.execute(
      sql`update mattock.planned_load set "left" = ${body.left} where plan_id = ${params.id}
          and number in (select l.number from ${planLoadsSql} where l.plan_id = ${params.id} and ${which})`,
    )
    return { changed: rowCount ?? 0 }
  },
  otherPlans: async ({ engine }, { params }) => {
    const list = await otherPlans(engine, params.id)
    const versions = await engine.db
      .select({ id: jobVersion.id, version: jobVersion.version })
      .from(jobVersion)
      .where(sql`${jobVersion.id} = any (${sql.param(list.map(({ versionId }) => versionId))}::int[])`)
    const numbers = new Map(versions.map(({ id, version }) => [id, version]))
    return list.map(({ versionId, ...plan }) => ({ ...plan, version: numbers.get(versionId) ?? 0 }))
  },
  comparePlans: async (asked, { params, query }) => {
    await holdPlan(asked, params.id)
    await holdPlan(asked, query.with)
    return mutable(
      await plannerOf(asked, 'compareStored', {
        before: query.with,
        after: params.id,
        kind: query.kind,
        offset: query.offset,
        limit: query.limit,
      }),
    )
  },
  forecastPlan: async (asked, { params, body }) =>
    mutable(await plannerOf(asked, 'forecastStored', params.id, body.others)),
}

/** The texts of the columns that differ, in their order. */
export function cellsOf(load: StoredLoad, part: Pick<StoredPart, 'differing'>): string[] {
  return part.differing.columns.map((column) => {
    switch (column.kind) {
      case 'row':
        return valueText(load.row?.[column.id.slice(4)] ?? null)
      case 'slice':
        return load.slice?.label ?? ''
      case 'slot':
        return resolvedText(load.resolved[column.slot!] ?? null)
    }
  })
}
