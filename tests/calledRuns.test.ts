import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { holdRun, stopRun } from '../engine/running/controls'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { rerun, startRun } from '../engine/running/runs'
import { readPlan } from '../engine/planning/stored'
import { testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

// Jobs that run other jobs, on a real store with a real worker of two places.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
  await bench.rows('create table public.told (who text, what text)')
  await bench.own(`update mattock.connection set cap = 1 where name = 'warehouse'`)
})
afterAll(() => bench.close())

const save = async (document: string) => await saveJob(bench.engine, document, { by: 'test' })
const plan = async (job: string) =>
  (await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })).id
const start = async (job: string) =>
  await startRun(bench.engine, { plan: await plan(job), by: 'ana', priority: 3 })
const teller = (
  name: string,
  text = `insert into public.told values ('${name}', {param.word})`,
  more = '',
) => `
mattock: job/1
name: ${name}
title: ${name}
${more}parameters:
  word: {type: text, default: nothing}
  count: {type: integer, default: 0}
parts:
  - each: {roster: {range: {from: 1, to: 3}}, at_once: 3}
    do:
      - {id: tell, sql: {on: warehouse, text: "${text} ", }}
      - {id: number, log: {text: '{row.value}'}}
`
const caller = (name: string, steps: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
${steps}`
const runsOf = async (job: string) =>
  await bench.own('select id, state, by, cause, priority, rerun_of, called_by_load::int as load from mattock.run where job = $1 order by id', [job]) // prettier-ignore
const loadsOf = async (run: number) =>
  await bench.own(`select l.id::int as id, l.state, l.attempt, l.worker, l.waits_for, l.error ->> 'message' as message, l.error ->> 'code' as code from mattock.load l where run_id = $1 order by number`, [run]) // prettier-ignore

describe('a step that runs another job', () => {
  it('gives it values, waits without a place, and tells later steps what it came to', async () => {
    await save(teller('plain'))
    await save(
      caller('calls', `      - {id: call, job: {name: plain, parameters: {word: 'from run {run.id}', count: '{1 + 1}'}}}
      - {id: after, log: {text: 'run {step["call"].value.run} {step["call"].value.state}: {step["call"].value.done} of {step["call"].value.loads}'}}
`),
    ) // prettier-ignore
    const run = await start('calls')
    expect(await bench.ended(run)).toBe('done')
    const [called] = await runsOf('plain')
    const [load] = await loadsOf(run)
    expect(called).toMatchObject({ state: 'done', by: 'ana', priority: 3, load: load!.id, cause: `called by run ${run}, load ${load!.id}` }) // prettier-ignore
    expect(await bench.rows('select * from public.told')).toEqual(
      Array.from({ length: 3 }, () => ({ who: 'plain', what: `from run ${run}` })),
    )
    const [after] = await bench.own(`select log from mattock.load_step where load_id = $1 and step = 'after'`, [load!.id]) // prettier-ignore
    expect(after!.log).toEqual([`run ${called!.id as number} done: 3 of 3`])
  })

  it('of runs within runs, more of them than places and connections, come to an end', async () => {
    await save(teller('leaf', 'select pg_sleep(0.02)'))
    await save(`
mattock: job/1
name: middle
title: middle
parts:
  - each: {roster: {range: {from: 1, to: 4}}, at_once: 4}
    do:
      - {id: use, sql: {on: warehouse, text: 'select {row.value}'}}
      - {id: call, job: {name: leaf}}
      - {id: again, sql: {on: warehouse, text: 'select {row.value}'}}
`)
    await save(`
mattock: job/1
name: outer
title: outer
parts:
  - each: {roster: {range: {from: 1, to: 4}}, at_once: 2}
    do:
      - {id: call, job: {name: middle, parameters: {}}}
      - {id: said, log: {text: '{row.value}'}}
`)
    const run = await start('outer')
    // two at once go on, and those keep their places while they wait
    await until('two wait', async () => (await loadsOf(run)).filter(({ waits_for }) => waits_for !== null).length === 2) // prettier-ignore
    expect((await loadsOf(run)).filter(({ state }) => state === 'waiting')).toHaveLength(2)
    expect(await bench.ended(run)).toBe('done')
    expect((await runsOf('middle')).map(({ state }) => state)).toEqual(Array(4).fill('done'))
    expect((await runsOf('leaf')).map(({ state }) => state)).toEqual(Array(16).fill('done'))
    expect(await bench.own('select count(*)::int as n from mattock.load where awaits is not null')).toEqual([{ n: 0 }]) // prettier-ignore
  })

  it('fails with it, and a rerun runs again what that did not get done; or it goes on', async () => {
    await save(teller('breaks', `select 1 / case when {row.value} = 2 and not exists (select from public.told where who = 'mended') then 0 else 1 end`)) // prettier-ignore
    await save(caller('stops', `      - {id: call, job: {name: breaks}}\n      - {id: after, log: {text: after}}\n`)) // prettier-ignore
    await save(caller('goes-on', `      - {id: call, job: {name: breaks, on_failure: go-on}}\n      - {id: after, log: {text: '{step["call"].value.failed}'}}\n`)) // prettier-ignore
    const run = await start('stops')
    expect(await bench.ended(run)).toBe('failed')
    const [first] = await runsOf('breaks')
    expect((await loadsOf(run))[0]).toMatchObject({ code: 'run-failed', message: `run ${first!.id as number} of breaks failed: 2 of 3 loads done` }) // prettier-ignore
    const other = await start('goes-on')
    expect(await bench.ended(other)).toBe('done')
    await bench.rows(`insert into public.told values ('mended', '')`)
    const again = await rerun(bench.engine, run, { by: 'ana' })
    expect(await bench.ended(again)).toBe('done')
    const last = (await runsOf('breaks')).at(-1)!
    expect(last).toMatchObject({ rerun_of: first!.id, state: 'done' })
    expect(await loadsOf(last.id as number)).toHaveLength(1)
  })

  it('keeps what failed beside it while it waited', async () => {
    await save(caller('beside', `      - {id: call, after: [], job: {name: leaf}}
      - {id: breaks, after: [], sql: {on: warehouse, text: 'select 1/0'}}
      - {id: needs, after: [breaks], log: {text: never}}
`)) // prettier-ignore
    const run = await start('beside')
    expect(await bench.ended(run)).toBe('failed')
    const steps = await bench.own('select step, s.state, s.attempt from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1 order by position', [run]) // prettier-ignore
    expect(steps).toEqual([
      { step: 'call', state: 'done', attempt: 2 },
      { step: 'breaks', state: 'failed', attempt: 1 },
      { step: 'needs', state: 'skipped', attempt: 2 },
    ])
    expect((await loadsOf(run))[0]).toMatchObject({ state: 'failed', message: 'division by zero' })
  })

  it('stops what it began when it is stopped, held or not', async () => {
    await save(teller('long', 'select pg_sleep(60), {row.value}'))
    await save(caller('stopped', `      - {id: call, job: {name: long}}\n`))
    const run = await start('stopped')
    await until('it waits', async () => (await loadsOf(run))[0]!.waits_for !== null)
    const [called] = await runsOf('long')
    await holdRun(bench.engine, run, 'ana')
    await stopRun(bench.engine, run)
    expect(await bench.ended(run)).toBe('stopped')
    expect(await bench.ended(called!.id as number)).toBe('stopped')
    expect((await loadsOf(run))[0]).toMatchObject({ state: 'stopped', worker: null, waits_for: null })
  })

  it('never runs itself, by whatever way', async () => {
    await save(caller('self', `      - {id: call, job: {name: self}}\n`))
    await save(caller('there', `      - {id: call, job: {name: back}}\n`))
    await save(caller('back', `      - {id: call, job: {name: there}}\n`))
    const findings = async (job: string) => (await readPlan(bench.engine, await plan(job))).findings.map(({ code, level, message }) => `${level} ${code}: ${message}`) // prettier-ignore
    expect(await findings('self')).toEqual(['stop circle: self would run itself: self → self'])
    expect(await findings('there')).toEqual(['stop circle: there would run itself: there → back → there'])
    await save(caller('typo', `      - {id: call, job: {name: plian}}\n`))
    expect(await findings('typo')).toEqual(['stop unknown-name: there is no job plian; did you mean plain?'])
    // a name that is known only when it runs
    await save(caller('sly', `      - {id: name, set: {on: warehouse, query: "select 'sly' as job"}}\n      - {id: call, job: {name: '{step["name"].value.job}'}}\n`)) // prettier-ignore
    const run = await start('sly')
    expect(await bench.ended(run)).toBe('failed')
    expect((await loadsOf(run))[0]).toMatchObject({
      code: 'circle',
      message: 'sly would run itself: sly → sly',
    })
  })

  it('says why it could not be begun', async () => {
    await save(teller('no-word').replace('default: nothing', 'required: true'))
    await save(caller('asks', `      - {id: call, job: {name: no-word}}\n`))
    const run = await start('asks')
    expect(await bench.ended(run)).toBe('failed')
    expect((await loadsOf(run))[0]).toMatchObject({ code: 'not-started', message: expect.stringContaining('no-word cannot be run: 1 finding stops the run') }) // prettier-ignore
  })
})

describe('a part that comes after', () => {
  it('reads what failed in the one before', async () => {
    await save(`
mattock: job/1
name: tells
title: tells
parts:
  - id: all
    each: {roster: {rows: [{name: a}, {name: b}]}}
    do:
      - {id: one, sql: {on: warehouse, text: "select 1 / case when {row.name} = 'b' then 0 else 1 end"}}
  - when: ended
    once:
      - {id: say, log: {text: '{part["all"].failed} failed: {part["all"].failures}'}}
`)
    const run = await start('tells')
    await bench.ended(run)
    const [said] = await bench.own(`select log from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1 and step = 'say'`, [run]) // prettier-ignore
    expect(said!.log).toEqual(['1 failed: b: division by zero'])
  })
})
