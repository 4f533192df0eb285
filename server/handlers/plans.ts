import { and, asc, eq, sql, type SQL } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { stopsFor } from '../../core/plan/plan'
import { resolvedText } from '../../core/plan/differing'
import { valueText } from '../../core/value'
import { jobVersion, plan as planTable, planLoad, type StoredPart } from '../../database/schema'
import type { Engine } from '../../engine/context'
import { documentOf } from '../../engine/jobs'
import { makePlan } from '../../engine/planning'
import type { Handlers } from '../app'

type StoredPlan = typeof planTable.$inferSelect

async function readPlan(engine: Engine, id: number): Promise<StoredPlan> {
  const [found] = await engine.db.select().from(planTable).where(eq(planTable.id, id))
  return found ?? fail('unknown-name', `there is no plan ${id}; plans that were not run are kept for a week`)
}

/** Conditions of a page of a plan's loads. */
function fits(
  id: number,
  { code, search }: { code?: string | undefined; search?: string | undefined },
): SQL | undefined {
  return and(
    eq(planLoad.planId, id),
    code ? sql`${code} = any (${planLoad.codes})` : undefined,
    search
      ? sql`(strpos(lower(${planLoad.key}), lower(${search})) > 0 or strpos(lower(${planLoad.resolved}::text), lower(${search})) > 0)`
      : undefined,
  )
}

export const planHandlers: Pick<Handlers, 'makePlan' | 'plan' | 'planLoads' | 'leaveOut'> = {
  makePlan: async ({ engine, account }, { body }) => ({
    id: (await makePlan(engine, { ...body, by: account.name })).id,
  }),
  plan: async ({ engine }, { params }) => {
    const found = await readPlan(engine, params.id)
    const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, found.versionId))
    const left = await engine.db
      .select({ number: planLoad.number })
      .from(planLoad)
      .where(and(eq(planLoad.planId, params.id), planLoad.left))
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
      loads: found.loads,
      left: left.length,
      parts: structuredClone(found.parts) as never,
      // a page needs no more than some of the loads' numbers; the filter asks the server for the rest
      findings: found.findings.map((finding) => ({
        ...finding,
        where: { ...finding.where, count: finding.loads.length },
        loads: finding.loads.slice(0, 50),
      })),
      forecast: found.forecast ?? null,
      stops: stops.length,
    }
  },
  planLoads: async ({ engine }, { params, query }) => {
    const { parts } = await readPlan(engine, params.id)
    const where = fits(params.id, query)
    const [{ total }] = (await engine.db
      .select({ total: sql<number>`count(*)::int` })
      .from(planLoad)
      .where(where)) as [{ total: number }]
    const loads = await engine.db
      .select()
      .from(planLoad)
      .where(where)
      .orderBy(asc(planLoad.number))
      .offset(query.offset)
      .limit(query.limit)
    return {
      total,
      loads: loads.map((load) => ({
        number: load.number,
        part: load.part,
        key: load.key,
        each: load.row !== null,
        cells: cellsOf(load, parts[load.part]!),
        files: load.files ?? null,
        codes: load.codes,
        left: load.left,
      })),
    }
  },
  leaveOut: async ({ engine }, { params, body }) => {
    const { rowCount } = await engine.db
      .update(planLoad)
      .set({ left: body.left })
      .where(
        body.numbers
          ? and(
              eq(planLoad.planId, params.id),
              sql`${planLoad.number} = any (${sql.param(body.numbers)}::int[])`,
            )
          : fits(params.id, body),
      )
    return { changed: rowCount ?? 0 }
  },
}

/** The texts of the columns that differ, in their order. */
function cellsOf(load: typeof planLoad.$inferSelect, part: StoredPart): string[] {
  return part.differing.columns.map((column) => {
    switch (column.kind) {
      case 'row':
        return valueText(load.row?.[column.id.slice(4)] ?? null)
      case 'slice':
        return load.sliceLabel ?? ''
      case 'slot':
        return resolvedText(load.resolved[column.slot!] ?? null)
    }
  })
}
