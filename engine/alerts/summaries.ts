import { summaryMessage, type SheetFacts } from '../../core/alert/words'
import { tellingOf } from '../../core/alert/kinds'
import { cronTimes } from '../../core/schedule/cron'
import { isLate } from '../../core/schedule/due'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { gatherDecisions, recent } from '../watching/gather'
import { readMatters } from '../watching/matters'
import { footOf, type AlertOptions } from './foot'
import { putOut } from './post'
import { allRules } from './rules'

/** A summary that was missed is sent up to so long (milliseconds) later, and after that left out. */
const catchUp = 6 * 3_600_000

/** Sends each summary whose time has come, the newest where several were missed; of some processes one sends it. */
export async function sendSummaries(engine: Engine, options: Pick<AlertOptions, 'asks' | 'address'>): Promise<void> {
  for (const { active, rule } of await allRules(engine)) {
    const telling = tellingOf(rule.tells)
    if (!active || telling.kind !== 'summary') continue
    for (const environment of rule.in) {
      const { rows } = await engine.db.$client.query<{ at: string; key: string; now: string }>(
        `with known as (insert into mattock.alert_summary (rule, environment, at) select $1, $2, mattock.clock() where exists (select 1 from mattock.environment where name = $2)
           on conflict do nothing returning at)
         select at, at::text as key, mattock.clock() as now from mattock.alert_summary where rule = $1 and environment = $2`,
        [rule.name, environment],
      )
      const [known] = rows
      if (!known) continue
      const now = Date.parse(known.now)
      const after = Math.max(Date.parse(known.at), now - catchUp)
      const due = cronTimes({ expression: telling.spec.at, zone: rule.zone }, after, now + 1, 1000).at(-1)
      if (due === undefined) continue
      const facts = await sheetFacts(engine, environment, new Date(now), options)
      await transaction(engine.db.$client, async (client) => {
        const { rowCount } = await client.query(
          'update mattock.alert_summary set at = to_timestamp($3 / 1000.0) where rule = $1 and environment = $2 and at = $4::timestamptz',
          [rule.name, environment, due, known.key],
        )
        if (!rowCount) return
        const message = summaryMessage(facts, rule.zone, footOf(rule, environment, options.address))
        await putOut(client, rule, { environment, type: 'mattock.summary', ...message, told: [] })
      })
    }
  }
} // prettier-ignore

/** What stands on the Morning sheet of an environment; what is quiet is left out. */
export async function sheetFacts(
  engine: Engine,
  environment: string,
  at: Date,
  { asks }: Pick<AlertOptions, 'asks'>,
): Promise<SheetFacts> {
  const { decisions, outlook = { jobs: [], foreseen: [] } } = await gatherDecisions(
    engine,
    environment,
    at,
    asks,
  )
  const matters = await readMatters(engine, environment, decisions.map(({ key }) => key)) // prettier-ignore
  const since = new Date(at.getTime() - recent)
  const { rows } = await engine.db.$client.query<{ done: number; failed: number; rejected: number }>(
    `select coalesce(sum(p.done), 0)::float8 as done, coalesce(sum(p.failed), 0)::float8 as failed, coalesce(sum(p.rejected), 0)::float8 as rejected
     from mattock.run r join mattock.run_part p on p.run_id = r.id where r.environment = $1 and coalesce(r.ended_at, now()) >= $2`,
    [environment, since.toISOString()],
  )
  const titles = new Map(outlook.jobs.map(({ job, title }) => [job, title]))
  return {
    environment,
    at: at.getTime(),
    since: since.getTime(),
    ...rows[0]!,
    decisions: decisions.flatMap(({ key, title, text }) => {
      const { quietUntil = null, givenTo = null } = matters.get(key) ?? {}
      return quietUntil !== null && Date.parse(quietUntil) > at.getTime() ? [] : [{ title, text, givenTo }]
    }),
    ahead: outlook.foreseen
      .filter((run) => run.run === null && !run.refused)
      .sort((a, b) => Date.parse(a.at) - Date.parse(b.at))
      .map((run) => ({
        title: titles.get(run.job) ?? run.job,
        at: Date.parse(run.at),
        ends: run.unknown || run.stuck !== null ? null : Date.parse(run.ends),
        due: run.due === null ? null : Date.parse(run.due),
        late: isLate(run),
      })),
  }
}
