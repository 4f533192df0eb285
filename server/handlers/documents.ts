import { textAt, textsOfStep, type LoadTexts } from '../../core/plan/texts'
import { slotLabel } from '../../core/job/slots'
import { asc, eq } from 'drizzle-orm'
import type { Response } from 'express'
import { balances } from '../../core/balance/balance'
import { stepWaits } from '../../core/job/order'
import type { Order } from '../../core/run/order'
import type { Resolved } from '../../core/text/slot'
import { resolvedText } from '../../core/plan/differing'
import { jobVersion, load as loadTable, type StoredPart } from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import { documentOf } from '../../engine/jobs/versions'
import { eachLoad, type StoredPlan } from '../../engine/planning/stored'
import type { Asked, Handlers } from '../handler'
import { plannerOf } from '../planner'
import { csvSheetLine } from '../../core/files/csvText'
import { sendAs, writeAll } from '../csv'
import { readPlanFor } from '../rows'
import { briefRun, loadDetails, seesRun, withoutRows } from './runs'

/** What a text came to, as the document of a plan says it. */
function saidText(resolved: Resolved | null) {
  if (resolved?.kind === 'sql') return { text: resolved.text, values: resolved.values }
  return resolved === null || resolved.kind === 'later' ? null : resolved.text
}

/** Steps of a part with what their texts resolved to, and those each waits for; `waits` by their places. */
const stepDocuments = (part: StoredPart, load: LoadTexts, waits: Order['waits']) =>
  part.steps.map((step, i) => ({
    id: step.id,
    kind: step.kind,
    resolved: Object.fromEntries(
      textsOfStep(part, load, step.id).map(({ slot, resolved }) => [
        slot.path.split('.').slice(1).join('.'),
        saidText(resolved),
      ]),
    ),
    after: (waits[i] ?? []).map((at) => part.steps[at]!.id),
  }))

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

/** Writes the document of a run piece by piece: ten thousand loads with their statements need not be in memory at once. */
async function writeRunDocument(
  engine: Engine,
  run: number,
  document: object,
  all: boolean,
  response: Response,
): Promise<void> {
  const loads = await engine.db
    .select({ id: loadTable.id })
    .from(loadTable)
    .where(eq(loadTable.runId, run))
    .orderBy(asc(loadTable.number))
  const ids = loads.map(({ id }) => id)
  await writeAll(response, `${JSON.stringify(document).slice(0, -1)},"detail":[`)
  const stretch = 500
  for (let start = 0; start < ids.length && !response.destroyed; start += stretch) {
    const details = await loadDetails(engine, run, ids.slice(start, start + stretch))
    const text = details.map((detail) => JSON.stringify(all ? detail : withoutRows(detail))).join(',')
    await writeAll(response, start === 0 ? text : `,${text}`)
  }
  response.end(']}')
}

/** Writes the document of a plan piece by piece: one of 300,000 loads would not fit into the memory as a whole. */
async function writePlanDocument(
  engine: Engine,
  asked: Asked,
  plan: StoredPlan,
  response: Response,
  compare: number | undefined,
): Promise<void> {
  const head = JSON.stringify({ plan: plan.id, job: plan.job, environment: plan.environment })
  await writeAll(response, `${head.slice(0, -1)},"loads":[`)
  const once: unknown[] = []
  const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, plan.versionId))
  const waits = documentOf(version!).parts.map(stepWaits)
  let first = true
  for await (const load of eachLoad(engine, plan)) {
    const part = plan.parts[load.part]!
    if (!part.each) {
      once.push(...stepDocuments(part, load, waits[load.part]!))
      continue
    }
    const { key, row, slice } = load
    const entry = {
      key,
      row,
      slice: slice && { from: slice.from, to: slice.to },
      steps: stepDocuments(part, load, waits[load.part]!),
    }
    await writeAll(response, `${first ? '' : ','}${JSON.stringify(entry)}`)
    first = false
    if (response.destroyed) return
  }
  const rest = {
    once,
    findings: plan.findings.map(({ code, level, message, where }) => ({ code, level, message, where })),
    forecast: plan.forecast ?? null,
    ...(compare === undefined ? {} : { comparison: await comparisonDocument(asked, plan.id, compare) }),
  }
  response.end(`],${JSON.stringify(rest).slice(1)}`)
}

/** Every load that another plan has and this one has not, and the other way round, and all that changed. */
async function comparisonDocument(asked: Asked, after: number, before: number) {
  const all = async (kind: 'added' | 'gone' | 'changed') => {
    const limit = 10_000
    const list = []
    for (let offset = 0; ; offset += limit) {
      const { changes } = await plannerOf(asked, 'compareStored', { before, after, kind, offset, limit })
      list.push(...changes)
      if (changes.length < limit) return list
    }
  }
  const keys = async (kind: 'added' | 'gone') => (await all(kind)).map(({ key }) => key)
  return {
    with: before,
    added: await keys('added'),
    gone: await keys('gone'),
    changed: (await all('changed')).map(({ key, texts }) => ({ key, texts })),
  }
}

/** The loads as CSV: the row's columns, the slice, and every text of every step; what is left out says so. */
async function writePlanCsv(engine: Engine, plan: StoredPlan, response: Response): Promise<void> {
  const columns = [...new Set(plan.parts.flatMap((part) => part.columns.map(({ name }) => name)))]
  const slots = plan.parts.flatMap((part) =>
    part.steps.flatMap((step) => step.slots.map(({ path }) => ({ part: part.index, step: step.id, path }))),
  )
  await writeAll(
    response,
    csvSheetLine(['load', 'slice_from', 'slice_to', ...columns, ...slots.map(({ step, path }) => `${step} ${slotLabel(path)}`), 'files', 'bytes', 'findings', 'left_out']), // prettier-ignore
  )
  for await (const load of eachLoad(engine, plan)) {
    const own = plan.parts[load.part]!
    const texts = slots.map(({ part, step, path }) =>
      part === load.part ? resolvedText(textAt(own, load, step, path)) : '',
    )
    await writeAll(
      response,
      csvSheetLine([load.key, load.slice?.from, load.slice?.to, ...columns.map((name) => load.row?.[name]), ...texts, load.files?.names.join(' '), load.files?.bytes, load.codes.join(' '), load.left ? 'yes' : '']), // prettier-ignore
    )
    if (response.destroyed) return
  }
  response.end()
}

export const documentHandlers: Pick<Handlers, 'planDocument' | 'planFile' | 'runDocument' | 'showDocument'> =
  {
    planDocument: async (asked, { params, query }) => {
      const { engine, response } = asked
      const plan = await readPlanFor(asked, params.id)
      // the comparison is asked for first, so that a plan that is not there is told as such
      if (query.compare !== undefined) await readPlanFor(asked, query.compare)
      response.setHeader('Content-Type', 'application/json; charset=utf-8')
      await writePlanDocument(engine, asked, plan, response, query.compare)
      return undefined as never
    },
    planFile: async (asked, { params, query }) => {
      const { engine, response } = asked
      const plan = await readPlanFor(asked, params.id)
      const name = `${plan.job}-plan-${plan.id}`
      if (query.as === 'csv') {
        sendAs(response, `${name}.csv`, 'text/csv; charset=utf-8; header=present')
        await writePlanCsv(engine, plan, response)
      } else if (query.as === 'json') {
        sendAs(response, `${name}.json`, 'application/json; charset=utf-8')
        await writePlanDocument(engine, asked, plan, response, undefined)
      } else {
        const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, plan.versionId))
        sendAs(response, `${name}.sarif`, 'application/sarif+json; charset=utf-8')
        response.end(
          JSON.stringify(await plannerOf(asked, 'sarifOf', plan.job, plan.findings, version!.text)),
        )
      }
      return undefined as never
    },
    runDocument: async ({ engine }, { params }) => await runDocument(engine, params.id),
    showDocument: async (asked, { params }) => {
      const { engine, response } = asked
      const all = await seesRun(asked, params.id)
      const document = await runDocument(engine, params.id)
      response.setHeader('Content-Type', 'application/json; charset=utf-8')
      await writeRunDocument(engine, params.id, document, all, response)
      return undefined as never
    },
  }
