import { createHash } from 'node:crypto'
import { asc, eq } from 'drizzle-orm'
import { balances } from '../../core/balance/balance'
import { jobVersion, load as loadTable, plan as planTable, run as runTable } from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import { verifyRun } from '../../engine/proof/verify'
import { sendAs, writeAll } from '../csv'
import type { Handlers } from '../handler'
import { briefRun, loadDetails, seesRun, withoutRows } from './runs'

/** Loads whose details are in memory at a time. */
const stretch = 500

/** What stands at the head of a proof: what was to be done, and by whose word. */
async function proofHead(engine: Engine, id: number, by: string) {
  const brief = await briefRun(engine, id)
  const [found] = await engine.db
    .select()
    .from(runTable)
    .innerJoin(jobVersion, eq(jobVersion.id, runTable.versionId))
    .innerJoin(planTable, eq(planTable.id, runTable.planId))
    .where(eq(runTable.id, id))
  const { run, job_version: version, plan } = found!
  const { rows: letGo } = await engine.db.$client.query<{
    by: string
    at: string
    loads: number
    why: string
  }>(
    `select let_go ->> 'by' as by, min(let_go ->> 'at') as at, let_go ->> 'why' as why, count(*)::int as loads
     from mattock.load where run_id = $1 and let_go is not null group by let_go ->> 'by', let_go ->> 'why'`,
    [id],
  )
  const people = [
    { who: version.by, did: `saved version ${version.version} of ${run.job}`, at: version.createdAt },
    { who: plan.by, did: `planned it (plan ${plan.id})`, at: plan.createdAt },
    { who: run.by, did: `began it: ${run.cause}`, at: run.createdAt },
    ...letGo.map((one) => ({ who: one.by, did: `let ${one.loads} ${one.loads === 1 ? 'load' : 'loads'} go before their turn: ${one.why}`, at: one.at })),
  ] // prettier-ignore
  return {
    mattock: 'proof/1',
    made: { at: new Date().toISOString(), by },
    run: {
      id: run.id,
      job: run.job,
      title: run.title,
      environment: run.environment,
      state: run.state,
      cause: run.cause,
      rerunOf: run.rerunOf,
      createdAt: run.createdAt,
      startedAt: run.startedAt,
      endedAt: run.endedAt,
    },
    definition: {
      version: version.version,
      sha256: createHash('sha256').update(version.text).digest('hex'),
      text: version.text,
    },
    plan: {
      id: plan.id,
      parameters: plan.parameters,
      only: plan.only,
      span: plan.span,
      createdAt: plan.createdAt,
    },
    people: people.sort((a, b) => Date.parse(a.at) - Date.parse(b.at)),
    balance: { ...brief.counts, balanced: brief.unbalanced === 0 && balances(brief.counts) },
  }
}

export const proofHandlers: Pick<Handlers, 'proveRun' | 'verifyRun'> = {
  proveRun: async (asked, { params: { id } }) => {
    const { engine, account, response } = asked
    const all = await seesRun(asked, id)
    const head = await proofHead(engine, id, account.name)
    sendAs(response, `run-${id}-proof.json`, 'application/json; charset=utf-8')
    await writeAll(response, `${JSON.stringify(head).slice(0, -1)},"loads":[`)
    const loads = await engine.db
      .select({ id: loadTable.id })
      .from(loadTable)
      .where(eq(loadTable.runId, id))
      .orderBy(asc(loadTable.number))
    for (let start = 0; start < loads.length && !response.destroyed; start += stretch) {
      const ids = loads.slice(start, start + stretch).map((one) => one.id)
      const details = await loadDetails(engine, id, ids)
      const text = details.map((detail) => JSON.stringify(all ? detail : withoutRows(detail))).join(',')
      await writeAll(response, start === 0 ? text : `,${text}`)
    }
    response.end(']}')
    return undefined as never
  },
  verifyRun: async ({ engine, response }, { params: { id }, query: { only } }) => {
    await briefRun(engine, id)
    const over = new AbortController()
    response.on('close', () => over.abort())
    response.setHeader('Content-Type', 'application/json; charset=utf-8')
    await writeAll(response, `{"run":${id},"loads":[`)
    // a large table is looked at for minutes: a blank now and then keeps the line open
    const alive = setInterval(() => response.write(' '), 15_000)
    const counted = { loads: 0, broken: 0, written: 0, found: 0 }
    let listed = 0
    try {
      for await (const proof of verifyRun(engine, id, over.signal)) {
        counted.loads++
        counted.broken += Number(!proof.holds)
        counted.written += proof.written
        counted.found += proof.found ?? 0
        if (only === 'all' || !proof.holds)
          await writeAll(response, `${listed++ === 0 ? '' : ','}${JSON.stringify(proof)}`)
      }
      response.end(`],${JSON.stringify({ counted, holds: counted.broken === 0 }).slice(1)}`)
    } catch (error) {
      // half an answer must not look like a whole one
      response.destroy()
      if (!over.signal.aborted) throw error
    } finally {
      clearInterval(alive)
    }
    return undefined as never
  },
}
