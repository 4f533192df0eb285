import { alertRuleSchema, type AlertRule } from '../../core/alert/rule'
import { fail } from '../../core/fault'
import { addressOf, messages, type Address } from '../../core/job/messages'
import { fieldsOf } from '../../core/field/field'
import type { Engine } from '../context/engine'

/** A rule as it is kept. */
export interface KeptRule {
  readonly rule: AlertRule
  readonly active: boolean
  readonly updatedBy: string
  readonly updatedAt: string
}

/** All rules, by their titles. */
export async function allRules(engine: Engine): Promise<KeptRule[]> {
  const { rows } = await engine.db.$client.query<KeptRule>(
    `select rule, active, updated_by as "updatedBy", updated_at as "updatedAt" from mattock.alert_rule order by rule ->> 'title', name`,
  )
  return rows
}

/** @throws FaultError `unknown-name` */
export async function ruleNamed(engine: Engine, name: string): Promise<KeptRule> {
  const { rows } = await engine.db.$client.query<KeptRule>(
    `select rule, active, updated_by as "updatedBy", updated_at as "updatedAt" from mattock.alert_rule where name = $1`,
    [name],
  )
  return rows[0] ?? fail('unknown-name', `there is no rule "${name}"`)
}

/**
 * Keeps a rule: a new one where it is read as of no time, else in the place of what it was then.
 * @throws FaultError `conflict` where somebody else was quicker, `request` for what it names and is not there
 */
export async function saveRule(engine: Engine, rule: AlertRule, before: string | null, by: string): Promise<void> {
  await checkNames(engine, rule)
  const { db } = engine
  const text = JSON.stringify(alertRuleSchema.parse(rule))
  const { rowCount } =
    before === null
      ? await db.$client.query(
          `insert into mattock.alert_rule (name, rule, updated_by, updated_at) values ($1, $2, $3, clock_timestamp()) on conflict do nothing`,
          [rule.name, text, by],
        )
      : await db.$client.query(
          `update mattock.alert_rule set rule = $2, updated_by = $3, updated_at = clock_timestamp() where name = $1 and date_trunc('milliseconds', updated_at) = $4::timestamptz`,
          [rule.name, text, by, before],
        )
  if (!rowCount)
    fail('conflict', before === null ? `there is a rule "${rule.name}" already; choose another name` : 'somebody else has changed or taken away this rule since you opened it; what you set is still here: open it anew and set it again', { path: 'name' })
} // prettier-ignore

/** Are there the environments, jobs and connections that it names? */
async function checkNames(engine: Engine, rule: AlertRule): Promise<void> {
  const { $client } = engine.db
  const { rows: environments } = await $client.query<{ name: string }>('select name from mattock.environment')
  for (const [i, name] of rule.in.entries())
    if (!environments.some((one) => one.name === name)) fail('request', `there is no environment "${name}"`, { path: `in.${i}` })
  const jobs = rule.tells.matters?.jobs ?? []
  const { rows: known } = await $client.query<{ name: string }>('select name from mattock.job where name = any ($1)', [jobs])
  for (const [i, name] of jobs.entries())
    if (!known.some((one) => one.name === name)) fail('request', `there is no job "${name}"`, { path: `tells.matters.jobs.${i}` })
  for (const [i, address] of rule.to.entries())
    for (const { path, kind, name } of connectionsOf(address)) {
      const { rows } = await $client.query<{ kind: string }>('select kind from mattock.connection where name = $1', [name])
      if (rows[0]?.kind !== kind)
        fail('request', rows[0] ? `${name} is a connection of another kind` : `there is no connection "${name}"`, { path: `to.${i}.${path}` })
    }
} // prettier-ignore

/** The connections that an address names, by what its fields say of themselves. */
function connectionsOf(address: Address): { path: string; kind: string; name: string }[] {
  const { kind, spec } = addressOf(address)
  return fieldsOf(messages[kind].address).flatMap(({ key, names }) =>
    names === kind ? [{ path: `${kind}.${key}`, kind, name: String((spec as Record<string, unknown>)[key]) }] : [],
  )
} // prettier-ignore

/** Takes a rule away; what it sent stays in the log. @throws FaultError `unknown-name` */
export async function dropRule(engine: Engine, name: string): Promise<void> {
  const { rowCount } = await engine.db.$client.query('delete from mattock.alert_rule where name = $1', [name])
  if (!rowCount) fail('unknown-name', `there is no rule "${name}"`)
}

/** Lets a rule tell, or lets it be silent; one that tells again begins with what stands then. @throws FaultError `unknown-name` */
export async function setActive(engine: Engine, name: string, active: boolean): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    `with gone as (delete from mattock.alert_open where rule = $1 and not $2), late as (delete from mattock.alert_summary where rule = $1)
     update mattock.alert_rule set active = $2 where name = $1`,
    [name, active],
  )
  if (!rowCount) fail('unknown-name', `there is no rule "${name}"`)
}
