import type { StepSpec } from '../../core/job/steps'
import { hasEnded } from '../../core/run/when'
import { AwaitsRun } from '../context/awaits'
import { FaultError } from '../../core/fault'
import { stepFault, type StepContext } from '../context/step'
import { mayPass } from '../connectors/postgres/tables'
import { makePlan } from '../planning/plan'
import { calledRun, rerun, startRun } from '../running/runs'
import type { StepRunner } from './definition'

export const job: StepRunner<StepSpec<'job'>> = {
  async run(context, spec) {
    const { engine, load, step, aside, text, outcome, signal } = context
    const name = text('name').text
    if (aside) {
      outcome.log.push(`in a try ${name} is not run`)
      return outcome
    }
    const called = (await calledRun(engine.db.$client, { load, step })) ?? (await begin(context, name, spec))
    if (!hasEnded(called.state)) {
      outcome.log.push(`waits for run ${called.id} of ${called.job}`)
      throw new AwaitsRun(called.id)
    }
    signal.throwIfAborted()
    const { rows } = await engine.db.$client.query<{ loads: number; done: number; failed: number }>(
      `select coalesce(sum(done + failed + skipped + stopped), 0)::int as loads, coalesce(sum(done), 0)::int as done,
         coalesce(sum(failed), 0)::int as failed from mattock.run_part where run_id = $1`,
      [called.id],
    )
    const { loads, done, failed } = rows[0]!
    outcome.value = {
      row: { run: called.id, job: called.job, state: called.state, loads, done, failed },
      types: { run: 'integer', job: 'text', state: 'text', loads: 'integer', done: 'integer', failed: 'integer' },
    }
    const became = { done: 'is done', failed: 'failed', stopped: 'was stopped' }[called.state as string] ?? `is ${called.state}`
    const words = `run ${called.id} of ${called.job} ${became}: ${done.toLocaleString('en')} of ${loads.toLocaleString('en')} loads done`
    outcome.log.push(words)
    if (called.state !== 'done' && spec.on_failure === 'stop')
      stepFault('run-failed', words, `mend what failed in run ${called.id}; a rerun runs again what it did not get done`)
    return outcome
  },
} // prettier-ignore

interface Called {
  readonly id: number
  readonly job: string
  readonly state: 'running'
}

/** Begins the run; of a load that is run again, what the run of the first did not get done. */
async function begin(context: StepContext, name: string, spec: StepSpec<'job'>): Promise<Called> {
  const { engine, run, load, step, repeats, text, environment } = context
  const { by, cause, priority, clockOffset } = await callerOf(context, name)
  const ask = { by, cause, priority, clockOffset, calledBy: { load, step } }
  const before = repeats === undefined ? undefined : await calledRun(engine.db.$client, { load: repeats, step })
  try {
    if (before && before.job === name && hasEnded(before.state) && before.state !== 'done')
      return { id: await rerun(engine, before.id, ask), job: name, state: 'running' }
    const parameters = Object.fromEntries(
      Object.keys(spec.parameters ?? {}).map((key) => [key, text(`parameters.${key}`).text]),
    )
    const planned = {
      job: name,
      environment,
      parameters,
      by,
      ...(spec.slices === undefined ? {} : { span: text('slices').text }),
      now: new Date(Date.now() + clockOffset).toISOString(),
    }
    const { id: plan } = await (engine.planApart?.(`run ${run}`, planned) ?? makePlan(engine, planned))
    return { id: await startRun(engine, { ...ask, plan }), job: name, state: 'running' }
  } catch (error) {
    // what may pass is tried again as every step is
    if (!(error instanceof FaultError) || mayPass(error)) throw error
    return stepFault('not-started', `${name} cannot be run: ${error.fault.message}`, `look at the plan of ${name}, then rerun`) // prettier-ignore
  }
} // prettier-ignore

/**
 * Who began the run that a load is of, and how it goes; what it begins goes likewise.
 * @throws StepFault `circle` where the job would run itself, by whatever way
 */
async function callerOf({ engine, run, load }: StepContext, name: string) {
  const { rows } = await engine.db.$client.query<{ id: number; job: string; by: string; priority: number; clockOffset: number }>(
    `with recursive above as (
       select r.* from mattock.run r where r.id = $1
       union all select r.* from above a join mattock.load l on l.id = a.called_by_load join mattock.run r on r.id = l.run_id)
     select id, job, by, priority, clock_offset as "clockOffset" from above`,
    [run],
  )
  const own = rows[0]!
  if (rows.some(({ job: above }) => above === name))
    stepFault('circle', `${name} would run itself: ${[...rows.map((row) => row.job).reverse(), name].join(' → ')}`, 'take the step out of one of them')
  return { by: own.by, cause: `called by run ${run}, load ${load}`, priority: own.priority, clockOffset: own.clockOffset }
} // prettier-ignore
