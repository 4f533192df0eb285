import { FaultError } from '../../core/fault'
import type { FaultCode } from '../../core/faultCodes'
import type { PlanPick } from '../../core/plan/types'
import type { Row } from '../../core/value'
import type { Engine } from '../context/engine'
import { makePlan } from '../planning/plan'
import { runOfOccasion, startRun } from '../running/runs'

/** After so many tries, some hours, a time that cannot be begun is given up. */
const mostTries = 30

/** Milliseconds for which whoever begins a run has its time to themselves; it is made longer while they are at it. */
const leaseOf = ({ limits: { silence } }: Engine): number => silence

interface Due {
  readonly id: number
  readonly environment: string
  readonly job: string
  readonly start: string
  readonly cause: string
  readonly why: string | null
  readonly from: string | null
  readonly to: string | null
  readonly parameters: Row
  readonly picks: readonly PlanPick[] | null
  readonly tries: number
  /** Milliseconds that the clock of starts stands apart from the real one. */
  readonly shift: number
  /** Loads of the newest plan of its job; null where it never was planned. */
  readonly loads: number | null
}

const shift = `coalesce((select extract(epoch from mattock.clock() - clock_timestamp())::float8 * 1000 from mattock.shown_clock), 0)`

/** Is there a time that is due and that nobody has taken up? */
export async function anyDue(engine: Engine): Promise<boolean> {
  const { rows } = await engine.db.$client.query<{ due: boolean }>({
    name: 'any start that is due',
    text: `select exists (select from mattock.occasion where state = 'due' and not_before <= clock_timestamp()) as due`,
  })
  return rows[0]!.due
}

/** Takes up the next time that is due, so that no other server does; undefined where none is. */
export async function takeNext(engine: Engine): Promise<Due | undefined> {
  const { rows } = await engine.db.$client.query<Due>({
    name: 'take up what is due',
    text: `update mattock.occasion set not_before = clock_timestamp() + make_interval(secs => $1), tries = tries + 1
     where id = (select id from mattock.occasion where state = 'due' and not_before <= clock_timestamp() order by not_before, id limit 1 for update skip locked)
     returning id, environment, job, start, cause, why, "from", "to", parameters, picks, tries, round(${shift}) as shift,
       (select p.loads from mattock.plan p where p.job = occasion.job and p.environment = occasion.environment order by p.id desc limit 1) as loads`,
    values: [leaseOf(engine) / 1000],
  })
  return rows[0]
}

/**
 * Plans and begins the run of a time that is due, and keeps what became of it. A time begins one run, whoever tries and
 * however often; what may pass is tried again later, with growing pauses.
 */
export async function beginDue(engine: Engine, due: Due): Promise<void> {
  const { id } = due
  const lease = leaseOf(engine)
  const renew = setInterval(() => {
    const longer = engine.db.$client.query(
      `update mattock.occasion set not_before = clock_timestamp() + make_interval(secs => $2) where id = $1 and state = 'due'`,
      [id, lease / 1000],
    )
    longer.catch((error: Error) => engine.log.warn({ error, occasion: id }, 'a start could not be kept'))
  }, lease / 3)
  let plan: number | undefined
  try {
    // whoever was at it before may have come as far as the run
    const begun = due.tries > 1 ? await runOfOccasion(engine, id) : undefined
    if (begun) return await ended(engine, id, 'started', null, begun.plan, begun.run)
    const clockOffset = due.shift
    plan = await planFor(engine, due)
    const cause = due.why === null ? due.cause : `${due.cause}; ${due.why}`
    const run = await startRun(engine, { plan, by: `start ${due.start}`, cause, occasion: id, clockOffset })
    await ended(engine, id, 'started', due.why, plan, run)
  } catch (error) {
    const fault = error instanceof FaultError ? error.fault : undefined
    const state = fault && lasting[fault.code]
    if (state !== undefined) return await ended(engine, id, state, fault!.message, plan)
    if (due.tries >= mostTries) return await ended(engine, id, 'failed', `tried ${due.tries} times: ${(error as Error).message}`, plan)
    engine.log.warn({ error, occasion: id, job: due.job }, 'a start could not begin its run; it is tried again')
    await engine.db.$client.query(
      `update mattock.occasion set not_before = clock_timestamp() + make_interval(secs => $2), why = $3 where id = $1 and state = 'due'`,
      [id, Math.min(300, 2 ** due.tries), `tried ${due.tries} times so far: ${(error as Error).message}`],
    )
  } finally {
    clearInterval(renew)
  }
} // prettier-ignore

/** What a fault of planning or beginning makes of a start; those that are not here may pass. */
const lasting: Readonly<Partial<Record<FaultCode, 'skipped' | 'failed'>>> = {
  'no-loads': 'skipped',
  'still-running': 'skipped',
  'plan-stops': 'failed',
  'unknown-name': 'failed',
  slices: 'failed',
  parameter: 'failed',
  roster: 'failed',
  expression: 'failed',
  template: 'failed',
  syntax: 'failed',
  document: 'failed',
  control: 'failed',
}

async function planFor(engine: Engine, { environment, job, start, from, to, parameters, picks, shift, loads }: Due): Promise<number> {
  const ask = {
    job,
    environment,
    parameters,
    by: `start ${start}`,
    ...(picks !== null ? { picks } : from !== null && to !== null ? { span: `${from}/${to}` } : {}),
    now: new Date(Date.now() + shift).toISOString(),
  }
  // one that never was planned may have many
  const apart = loads !== null && loads <= small ? undefined : engine.planApart
  const { id } = await (apart?.(`start of ${job}`, ask) ?? makePlan(engine, ask))
  return id
} // prettier-ignore

/** Loads of a plan that is made in some milliseconds: handing it to a planner would take longer. */
const small = 300

async function ended(engine: Engine, id: number, state: 'started' | 'skipped' | 'failed', why: string | null, plan?: number, run?: number): Promise<void> {
  await engine.db.$client.query({
    name: 'what became of a start',
    text: `with now as (update mattock.occasion set state = $2, why = $3, plan_id = $4, run_id = $5, begun_at = case when $2 = 'started' then mattock.clock() end where id = $1 and state = 'due')
     select pg_notify('mattock', '{"starts":true}')`,
    values: [id, state, why, plan ?? null, run ?? null],
  })
} // prettier-ignore
