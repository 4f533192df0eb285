import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { testBench, type TestBench } from '../../tests/support/bench'
import { saveJob } from '../jobs/versions'
import { beginDue, takeNext } from './begin'

type Due = NonNullable<Awaited<ReturnType<typeof takeNext>>>

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())

const job = (name: string, more: string, row = '{n: 1}') => `mattock: job/1
name: ${name}
title: ${name}
${more}starts: [{id: day, clock: {cron: '0 6 * * *', zone: UTC}}]
parts:
  - each: {roster: {rows: [${row}]}}
    do: [{id: say, log: {text: hello}}]
`
/** A time of a start that is due, taken up. */
const dueOf = async (name: string): Promise<Due> => {
  await bench.own(
    `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, decided_at, not_before) values ('dev', $1, 'day', 'clock', $1, now(), 'due', 'at 06:00', now(), now())`,
    [name],
  )
  return (await takeNext(bench.engine))!
}
const became = async (id: number) =>
  (await bench.own('select state, why, run_id as run from mattock.occasion where id = $1', [id]))[0]
const runs = async (id: number) =>
  await bench.own('select id, state from mattock.run where occasion_id = $1', [id])

describe('a time of a start that two servers are at, as where the lease of the first ran out', () => {
  it.each([
    ['side by side', ''],
    ['of a job that refuses a second run', 'at_once_runs: refuse\n'],
    ['of a job that lets a second run wait', 'at_once_runs: wait\n'],
  ])('begins one run, %s, and none of them says otherwise', async (_what, more) => {
    for (let round = 0; round < 5; round++) {
      const name = `two-${more.length}-${round}`
      await saveJob(bench.engine, job(name, more), { by: 'a test' })
      const due = await dueOf(name)
      await Promise.all([
        beginDue(bench.engine, due),
        beginDue(bench.engine, due),
        beginDue(bench.engine, due),
      ])
      const [run, ...others] = await runs(due.id)
      expect(others).toEqual([])
      expect(await became(due.id)).toEqual({ state: 'started', why: null, run: run!.id })
    }
  })

  it('is taken up where another began it and went before it could say so', async () => {
    await saveJob(bench.engine, job('gone', ''), { by: 'a test' })
    const due = await dueOf('gone')
    await beginDue(bench.engine, due)
    const [run] = await runs(due.id)
    await bench.own(
      `update mattock.occasion set state = 'due', run_id = null, plan_id = null where id = $1`,
      [due.id],
    )
    // whoever takes it up next knows that it was tried before, and whoever held it still does not
    for (const tries of [2, 1]) {
      await beginDue(bench.engine, { ...due, tries })
      expect(await became(due.id)).toMatchObject({ state: 'started', run: run!.id })
      await bench.own(`update mattock.occasion set state = 'due', run_id = null where id = $1`, [due.id])
    }
    expect(await runs(due.id)).toHaveLength(1)
    await bench.own(`update mattock.occasion set state = 'started' where id = $1`, [due.id])
  })

  it('that stands still for another reason says which', async () => {
    await saveJob(bench.engine, job('none', '', '').replace('rows: []', 'range: {from: 1, to: 0}'), {
      by: 'a test',
    })
    const due = await dueOf('none')
    await beginDue(bench.engine, due)
    expect((await became(due.id))!.state).not.toBe('started')
    expect(await runs(due.id)).toEqual([])
  })
})
