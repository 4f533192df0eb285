import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { goOn, holdRun, letGo, putFirst, setAside } from '../engine/running/controls'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { rerun, startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

// Order, conditions and controls of runs, on a real store with a real worker.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
  await bench.rows('create table public.said (word text)')
  // waits until another has said a word: two that run one after the other wait in vain
  await bench.rows(`create function public.await(wanted text) returns void language plpgsql as $$
    begin
      for i in 1..900 loop
        if exists (select 1 from public.said where word = wanted) then return; end if;
        perform pg_sleep(0.1);
      end loop;
      raise exception 'nobody said %', wanted;
    end $$`)
})
afterAll(() => bench.close())

const job = (name: string, parts: string, more = '') =>
  `mattock: job/1\nname: ${name}\ntitle: ${name}\n${more}parts:\n${parts}`
const say = (id: string, word: string, more = '') =>
  `{id: ${id}, sql: {on: warehouse, text: "insert into public.said values ('${word}')"}${more}}`
const hear = (id: string, word: string, more = '') =>
  `{id: ${id}, sql: {on: warehouse, text: "select public.await('${word}')"}${more}}`
const wrong = (id: string, more = '') =>
  `{id: ${id}, sql: {on: warehouse, text: "select 1/0 as wrong"}${more}}`
const list = (...steps: string[]) => steps.map((step) => `      - ${step}\n`).join('')
const once = (part: string, ...steps: string[]) =>
  `  - ${part}${part ? '\n    ' : ''}once:\n${list(...steps)}`

async function start(document: string): Promise<number> {
  const { job: saved } = await saveJob(bench.engine, document, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job: saved, environment: 'dev', parameters: {}, by: 'test' })
  return await startRun(bench.engine, { plan: id, by: 'test' })
}
const said = async () =>
  (await bench.rows('select word from public.said order by 1')).map(({ word }) => word as string)
const steps = async (run: number) =>
  Object.fromEntries(
    (
      await bench.own(
        'select s.step, s.state from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1 order by 1',
        [run],
      )
    ).map(({ step, state }) => [step, state]),
  )
const stateOf = async (run: number) =>
  (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state as string
const partsOf = async (run: number) =>
  (await bench.own('select state from mattock.run_part where run_id = $1 order by part', [run])).map(({ state }) => state) // prettier-ignore
const loadsOf = async (run: number) =>
  await bench.own('select id, key, state, attempt, error ->> \'message\' as message, let_go from mattock.load where run_id = $1 order by number', [run]) // prettier-ignore

describe('steps of a load', () => {
  it('run side by side where none waits for the other, and what waits for both comes after them', async () => {
    const run = await start(
      job('side', once('', say('begin', 'side 0'), hear('left', 'side right', ', after: [begin]'), say('right', 'side right', ', after: [begin]'), say('end', 'side end', ', after: [left, right]'))),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    expect(await said()).toContain('side end')
  })

  it('go on, or are left out, by what became of those before, and the load fails all the same', async () => {
    const run = await start(
      job('whens', once('', wrong('breaks'), say('on-failure', 'mended', ', when: failed'), say('needs', 'never', ', after: [breaks]'), say('always', 'always', ', after: [breaks], when: ended'), say('after-mend', 'after mend', ', after: [on-failure]'), say('asked', 'asked', `, after: [breaks], when: 'step["breaks"].state == "failed"'`), say('not-asked', 'not asked', `, after: [breaks], when: 'param.size() > 7'`))),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('failed')
    expect(await steps(run)).toEqual({
      breaks: 'failed', 'on-failure': 'done', needs: 'skipped', always: 'done', 'after-mend': 'done', asked: 'done', 'not-asked': 'skipped',
    }) // prettier-ignore
    expect(await said()).not.toContain('never')
    expect((await loadsOf(run))[0]!.message).toMatch(/division by zero/)
  })

  it('are passed over where their own condition does not hold, and what follows goes on', async () => {
    const run = await start(
      job('passed', once('', say('good', 'passed good'), say('mend', 'passed mend', ', when: failed'), say('last', 'passed last'))),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    expect(await steps(run)).toEqual({ good: 'done', mend: 'skipped', last: 'done' })
    expect(await said()).toContain('passed last')
  })

  it('fail where a condition gives neither true nor false', async () => {
    const run = await start(job('no-verdict', once('', say('a', 'verdict'), say('b', 'verdict', `, when: '1 + 1'`)))) // prettier-ignore
    expect(await bench.ended(run)).toBe('failed')
    expect((await loadsOf(run))[0]!.message).toContain('"1 + 1" gives 2, which is neither true nor false')
  })

  it('are broken off when their time is over, and rolled back', async () => {
    const run = await start(
      job('late', once('', `{id: slow, timeout: PT0.3S, sql: {on: warehouse, text: "insert into public.said values ('late'); select pg_sleep(300)"}}`)),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('failed')
    expect((await loadsOf(run))[0]!.message).toBe('step slow took longer than its timeout of PT0.3S')
    expect(await said()).not.toContain('late')
  })

  it('stop for a look where they are to, and go on when told, without doing again what was done', async () => {
    const run = await start(job('look', once('', say('first', 'look first', ', hold: true'), say('second', 'look second')))) // prettier-ignore
    await until('it holds', async () => (await loadsOf(run))[0]!.state === 'held')
    expect(await stateOf(run)).toBe('running')
    expect(await said()).not.toContain('look second')
    await goOn(bench.engine, run, [Number((await loadsOf(run))[0]!.id)])
    expect(await bench.ended(run)).toBe('done')
    expect((await said()).filter((word) => word.startsWith('look'))).toEqual(['look first', 'look second'])
    expect(await loadsOf(run)).toMatchObject([{ attempt: 2, state: 'done' }])
    await expect(goOn(bench.engine, run)).rejects.toThrow(/nothing of run \d+ is held/)
  })
})

describe('values for later steps', () => {
  const set = (id: string, query: string) => `{id: ${id}, set: {on: warehouse, query: "${query}"}}`
  it('come from a query of one row, with its types, and go to steps and parts behind', async () => {
    await bench.rows(
      `create table public.marked as select 9007199254740993::bigint as big, 0.1::numeric as share, date '2026-11-26' as day, 'it''s'::text as words`,
    )
    const mark = set('mark', 'select *, big + 1 as next, null::text as nothing from public.marked')
    const here = `{id: here, log: {text: '{step["mark"].value.big} {step["mark"].value.share}'}}`
    const there = `{id: there, when: 'step["mark"].value.next > row.value', log: {text: '{row.value} {step["mark"].value.next} {step["mark"].value.day} {step["mark"].value.words}'}}`
    const bound = `{id: bound, sql: {on: warehouse, text: "insert into public.said select 'value ' || {step[\\"mark\\"].value.words}::text where {step[\\"mark\\"].value.nothing}::text is null"}}`
    const run = await start(
      job('values', `${once('id: marks', mark, here)}  - each: {roster: {range: {from: 1, to: 2}}}\n    do:\n${list(there, bound)}`),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    const logs = await bench.own('select s.step, s.log from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1 order by l.number, s.position', [run]) // prettier-ignore
    expect(logs.map(({ step, log }) => `${step as string}: ${(log as string[])[0]!}`)).toEqual([
      "mark: big = 9007199254740993, share = 0.1, day = 2026-11-26, words = it's, next = 9007199254740994, nothing = null",
      'here: 9007199254740993 0.1',
      "there: 1 9007199254740994 2026-11-26 it's",
      'bound: 1 row changed',
      "there: 2 9007199254740994 2026-11-26 it's",
      'bound: 1 row changed',
    ])
    expect((await said()).filter((word) => word.startsWith('value'))).toEqual(["value it's", "value it's"])
  })

  it.each([
    ['select 1 as n where false', 'the query gives no row, and one is meant'],
    ['select generate_series(1, 3) as n', 'the query gives several rows, and one is meant'],
    ["insert into public.said values ('sly') returning word", 'syntax error at or near'],
  ])('"%s" fails its load: %s', async (query, message) => {
    const run = await start(
      job(`no-value-${Math.abs(query.length)}`, once('', set('mark', query.replaceAll('"', "'")))),
    )
    expect(await bench.ended(run)).toBe('failed')
    expect((await loadsOf(run))[0]!.message).toContain(message)
    expect(await said()).not.toContain('sly')
  })
})

describe('parts of a run', () => {
  it('run side by side where they are to, and others wait for both', async () => {
    const run = await start(
      job('sides', once('id: left', hear('l', 'sides right')) + once('id: right\n    after: []', say('r', 'sides right')) + once('after: [left, right]', say('e', 'sides end'))),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    expect(await said()).toContain('sides end')
  })

  it('begin by what became of those before, and see what they came to', async () => {
    const fill = `{id: fill, transfer: {from: {connection: warehouse, query: "select g from generate_series(1, 3) g"}, into: {connection: warehouse, table: public.filled, write: append}}}`
    const count = (id: string) => `{id: ${id}, log: {text: "{step[\\"fill\\"].rows_written} rows, {part[\\"some\\"].failed} of {part[\\"some\\"].loads} failed"}}` // prettier-ignore
    const each = `  - id: some\n    each: {roster: {range: {as: n, from: 0, to: 2}}}\n    do:\n      - {id: divide, sql: {on: warehouse, text: "select 6 / {row.n}"}}\n`
    const run = await start(
      job('conditions', once('id: filling', fill) + each +
        once('when: failed', count('tell')) +
        once('after: [some]', say('not', 'never in part')) +
        once(`after: [some]\n    when: 'part["some"].failed == 1 && step["fill"].rows_written == 3'`, say('yes', 'part asked')) +
        once(`after: [some]\n    when: 'part["some"].failed > 1'`, say('no', 'part not asked'))),
    ) // prettier-ignore
    expect(await bench.ended(run)).toBe('failed')
    expect(await partsOf(run)).toEqual(['done', 'failed', 'done', 'skipped', 'done', 'skipped'])
    const [told] = await bench.own(`select s.log from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1 and s.step = 'tell'`, [run]) // prettier-ignore
    expect(told!.log).toEqual(['3 rows, 1 of 3 failed'])
    expect(await said()).toContain('part asked')
    expect((await said()).join()).not.toMatch(/never in part|part not asked/)
  })

  it('fail where their condition cannot be worked out, in words', async () => {
    const run = await start(job('undecided', once('', say('a', 'undecided a')) + once(`when: 'param.nothing > 1'`, say('b', 'undecided b')).replace('param.nothing > 1', '1 / 0 == 1'))) // prettier-ignore
    expect(await bench.ended(run)).toBe('failed')
    expect(await partsOf(run)).toEqual(['done', 'failed'])
    expect((await loadsOf(run))[1]!.message).toContain('(in when: 1 / 0 == 1)')
  })

  it('hold the run after them, for a look', async () => {
    const run = await start(job('part-look', once('hold: true', say('a', 'part look a')) + once('', say('b', 'part look b')))) // prettier-ignore
    await until('it holds', async () => (await partsOf(run))[0] === 'held')
    expect(await said()).not.toContain('part look b')
    await goOn(bench.engine, run)
    expect(await bench.ended(run)).toBe('done')
    expect(await said()).toContain('part look b')
  })
})

describe('a person at a run that goes on', () => {
  const many = (name: string, gate: string) =>
    job(name, `  - each: {roster: {range: {from: 1, to: 4}}, at_once: 1}\n    do:\n      - {id: wait, sql: {on: warehouse, text: "select public.await('${gate}')"}}\n      - {id: tell, sql: {on: warehouse, text: "insert into public.said values ('${name} ' || {row.value}::text || ' ' || (select count(*) from public.said where word like '${name} %'))"}}\n` + once('', say('after', `${name} after`))) // prettier-ignore
  const open = (gate: string) => bench.rows('insert into public.said values ($1)', [gate])

  it('holds it, lets one load go first, sets one aside, and lets it go on', async () => {
    const run = await start(many('mine', 'mine opens'))
    await until('one runs', async () => (await loadsOf(run))[0]!.state === 'running')
    await holdRun(bench.engine, run, 'Ada')
    await expect(holdRun(bench.engine, run, 'Ada')).rejects.toThrow(/cannot be held/)
    const loads = await loadsOf(run)
    expect(await putFirst(bench.engine, run, [Number(loads[3]!.id)])).toBe(1)
    expect(await setAside(bench.engine, run, [Number(loads[1]!.id), Number(loads[0]!.id)], 'Ada')).toBe(1)
    await open('mine opens')
    await until('the one that ran is done', async () => (await loadsOf(run))[0]!.state === 'done')
    expect((await loadsOf(run)).map(({ state }) => state)).toEqual(['done', 'skipped', 'waiting', 'waiting', 'waiting']) // prettier-ignore
    expect(await stateOf(run)).toBe('held')
    await expect(rerun(bench.engine, run, { by: 'test' })).rejects.toThrow('still goes on')
    await goOn(bench.engine, run)
    expect(await bench.ended(run)).toBe('done')
    // the fourth before the third; the one that was set aside keeps nothing back
    expect((await said()).filter((word) => word.startsWith('mine '))).toEqual(['mine 1 1', 'mine 3 3', 'mine 4 2', 'mine after', 'mine opens']) // prettier-ignore
    expect((await loadsOf(run))[1]!.message).toBe('set aside by Ada')
    const again = await rerun(bench.engine, run, { by: 'test' })
    expect(await bench.ended(again)).toBe('done')
    expect((await loadsOf(again)).map(({ key }) => key)).toEqual(['2'])
  })

  it('lets a load go before its part begins, and the reason is kept', async () => {
    const run = await start(many('early', 'early opens'))
    const loads = await loadsOf(run)
    expect(await letGo(bench.engine, run, [Number(loads[4]!.id), Number(loads[1]!.id)], 'Ada', 'its table is there already')).toBe(1) // prettier-ignore
    await until('it has said so', async () => (await said()).includes('early after'))
    await until('it is done', async () => (await loadsOf(run))[4]!.state === 'done')
    expect((await loadsOf(run))[4]).toMatchObject({
      state: 'done',
      let_go: { by: 'Ada', why: 'its table is there already' },
    })
    await open('early opens')
    expect(await bench.ended(run)).toBe('done')
  })
})

describe('a second run of a job', () => {
  const gated = (name: string, rule: string) => job(name, once('', hear('wait', `${name} opens`)), `at_once_runs: ${rule}\n`) // prettier-ignore
  it('waits for the first where the job says so', async () => {
    const first = await start(gated('waits', 'wait'))
    const second = await start(gated('waits', 'wait').replace('title: waits', 'title: again'))
    await until('the first runs', async () => (await loadsOf(first))[0]!.state === 'running')
    expect(await stateOf(second)).toBe('waiting')
    await bench.rows(`insert into public.said values ('waits opens')`)
    expect(await bench.ended(first)).toBe('done')
    expect(await bench.ended(second)).toBe('done')
  })
  it('is refused where the job says so, with who runs it', async () => {
    const first = await start(gated('refuses', 'refuse'))
    await expect(start(gated('refuses', 'refuse').replace('title: refuses', 'title: again'))).rejects.toThrow(
      `run ${first} of refuses in dev, begun by test, goes on, and the job refuses a second one`,
    )
    await bench.rows(`insert into public.said values ('refuses opens')`)
    expect(await bench.ended(first)).toBe('done')
  })
})
