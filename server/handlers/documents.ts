import { asc, eq } from 'drizzle-orm'
import { balances } from '../../core/balance/balance'
import { fail } from '../../core/fault'
import type { Resolved } from '../../core/expression/slot'
import { load as loadTable, plan as planTable, planLoad, type StoredPart } from '../../database/schema'
import type { Engine } from '../../engine/context'
import type { Handlers } from '../app'
import { briefRun, loadDetail } from './runs'

/** Steps of a part with what their texts resolved to, each after the one before it. */
function stepsOf(part: StoredPart, resolved: readonly (Resolved | null)[]) {
  let at = 0
  return part.steps.map((step, i) => {
    const texts = step.slots.map((slot) => {
      const value = resolved[at++] ?? null
      const text =
        value?.kind === 'sql'
          ? { text: value.text, values: value.values }
          : value?.kind === 'later'
            ? null
            : (value?.text ?? null)
      return [slot.path.split('.').slice(1).join('.'), text] as const
    })
    return {
      id: step.id,
      kind: step.kind,
      resolved: Object.fromEntries(texts),
      after: i === 0 ? [] : [part.steps[i - 1]!.id],
    }
  })
}

async function runDocument(engine: Engine, id: number) {
  const brief = await briefRun(engine, id)
  return {
    run: brief.id,
    job: brief.job,
    environment: brief.environment,
    state: brief.state,
    loads: Object.fromEntries(
      ['done', 'failed', 'skipped', 'stopped', 'waiting', 'ready', 'running'].map((state) => [
        state,
        brief.loads[state] ?? 0,
      ]),
    ),
    balance: { ...brief.counts, balanced: brief.unbalanced === 0 && balances(brief.counts) },
  }
}

export const documentHandlers: Pick<Handlers, 'planDocument' | 'runDocument' | 'showDocument'> = {
  planDocument: async ({ engine }, { params }) => {
    const [plan] = await engine.db.select().from(planTable).where(eq(planTable.id, params.id))
    if (!plan) fail('unknown-name', `there is no plan ${params.id}`)
    const loads = await engine.db
      .select()
      .from(planLoad)
      .where(eq(planLoad.planId, params.id))
      .orderBy(asc(planLoad.number))
    return {
      plan: plan.id,
      job: plan.job,
      environment: plan.environment,
      loads: loads
        .filter((load) => plan.parts[load.part]!.each)
        .map((load) => ({
          key: load.key,
          row: load.row ?? null,
          slice: load.sliceFrom && load.sliceTo ? { from: load.sliceFrom, to: load.sliceTo } : null,
          steps: stepsOf(plan.parts[load.part]!, load.resolved),
        })),
      once: loads
        .filter((load) => !plan.parts[load.part]!.each)
        .flatMap((load) => stepsOf(plan.parts[load.part]!, load.resolved)),
      findings: plan.findings.map(({ code, level, message, where }) => ({
        code,
        level,
        message,
        where: { ...where },
      })),
      forecast: plan.forecast ?? null,
    }
  },
  runDocument: async ({ engine }, { params }) => await runDocument(engine, params.id),
  showDocument: async ({ engine }, { params }) => {
    const loads = await engine.db
      .select({ id: loadTable.id })
      .from(loadTable)
      .where(eq(loadTable.runId, params.id))
      .orderBy(asc(loadTable.number))
    const detail = []
    for (const { id } of loads) detail.push(await loadDetail(engine, params.id, id))
    return { ...(await runDocument(engine, params.id)), detail }
  },
}
