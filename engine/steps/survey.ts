import { setTimeout as sleep } from 'node:timers/promises'
import { FaultError } from '../../core/fault'
import type { StepSpec } from '../../core/job/steps'
import { stepFault, stopped, type StepContext } from '../context/step'
import { acceptProposals } from '../survey/accept'
import { startSurvey, stopSurvey } from '../survey/survey'
import type { StepRunner } from './definition'

/** Milliseconds between two looks at a survey. */
const lookEvery = 250

export const survey: StepRunner<StepSpec<'survey'>> = {
  async run(context, { include, exclude, prefix, accept }) {
    const { engine, environment, text, aside, outcome, signal, load, step, waitsFor } = context
    const connection = text('on').text
    if (aside) {
      outcome.log.push(`in a try ${connection} is not looked through`)
      return outcome
    }
    const scope = { include, exclude, prefix }
    const by = `run ${context.run}`
    const ask = { connection, environment, scope, by, unattended: accept === 'rules', calledBy: { load, step } }
    const id = (await begun(context)) ?? (await begin(context, ask))
    try {
      const { state, fault } = await ended(context, id)
      if (state !== 'done') stepFault('survey', `survey ${id} of ${connection} ${state === 'failed' ? `failed: ${fault}` : 'was stopped'}`, 'look at the survey and the connection, then rerun')
    } finally {
      await waitsFor(null)
      if (signal.aborted) await stopSurvey(engine, id).catch(() => {})
    }
    if (accept === 'all') await acceptProposals(engine, id, undefined, by)
    const { rows } = await engine.db.$client.query<{ new: number; changed: number; gone: number; waiting: number }>(
      `select count(*) filter (where kind = 'new')::int as new, count(*) filter (where kind = 'changed')::int as changed,
         count(*) filter (where kind = 'gone')::int as gone, count(*) filter (where decided is null)::int as waiting
       from mattock.survey_proposal where survey_id = $1`,
      [id],
    )
    const found = rows[0]!
    outcome.value = {
      row: { survey: id, ...found },
      types: { survey: 'integer', new: 'integer', changed: 'integer', gone: 'integer', waiting: 'integer' },
    }
    outcome.log.push(
      `survey ${id} of ${connection}: ${found.new} new, ${found.changed} changed, ${found.gone} gone${found.waiting > 0 ? `; ${found.waiting} wait for a person` : ''}`,
    )
    return outcome
  },
} // prettier-ignore

/** The survey that an attempt before this one began. */
async function begun({ engine, load, step }: StepContext): Promise<number | undefined> {
  const { rows } = await engine.db.$client.query<{ id: number }>(
    'select id from mattock.survey where called_by_load = $1 and called_by_step = $2',
    [load, step],
  )
  return rows[0]?.id
}

/** Begins it; where another of the same connection is under way, its end is waited for. */
async function begin(context: StepContext, ask: Parameters<typeof startSurvey>[1]): Promise<number> {
  const { engine, signal, waitsFor } = context
  for (;;) {
    if (signal.aborted) throw stopped()
    try {
      return await startSurvey(engine, ask)
    } catch (error) {
      if (!(error instanceof FaultError) || error.fault.code !== 'conflict') throw error
      await waitsFor(`another survey of ${ask.connection}`)
      await sleep(lookEvery, undefined, { signal }).catch(() => {})
    }
  }
}

async function ended(
  { engine, signal, waitsFor }: StepContext,
  id: number,
): Promise<{ state: string; fault: string | null }> {
  await waitsFor(`survey ${id}`)
  for (;;) {
    if (signal.aborted) throw stopped()
    const { rows } = await engine.db.$client.query<{ state: string; fault: string | null }>('select state, fault from mattock.survey where id = $1', [id]) // prettier-ignore
    const [now] = rows
    if (!now) return stepFault('survey', `survey ${id} is gone`, 'rerun')
    if (now.state !== 'waiting' && now.state !== 'running') return now
    await sleep(lookEvery, undefined, { signal }).catch(() => {})
  }
}
