import { existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { kept, keptKinds, type KeptKind } from '../../core/keeping/kinds'
import { fileJob, testBench, type TestBench } from '../../tests/support/bench'
import { makePlan } from '../planning/plan'
import { rerun } from '../running/runs'
import { amounts, keepFor, tidy, wouldGo } from './keep'
import { noteSwept, sweptSoFar } from './swept'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows('create schema raw')
  await bench.rows('create table raw.r (meter text, value integer)')
  bench.writeFile('r.csv', 'meter,value\na,1\nb,many\n')
})
afterAll(() => bench.close())

const into = '{connection: warehouse, table: raw.r, write: append}'
const job = (name: string) => fileJob(name, 'r.csv', into, 'types: {value: integer}\nrejects: keep')
const day = 86_400_000
const later = (days: number) => Date.now() + days * day
const amountOf = async (kind: KeptKind, now = Date.now()) =>
  (await amounts(bench.engine, now)).find((one) => one.kind === kind)!
const runs = async () =>
  (await bench.own('select id from mattock.run order by id')).map(({ id }) => Number(id))

describe('what is kept', () => {
  it('has a size, an age and a number for each kind', async () => {
    const run = await bench.load(job('counted'))
    const list = await amounts(bench.engine)
    expect(list.map(({ kind }) => kind)).toEqual(keptKinds)
    const of = await amountOf('runs')
    expect(of).toMatchObject({ count: 1, goes: 0, days: kept.runs.days, setBy: null })
    expect(of.bytes).toBeGreaterThan(0)
    const [made] = await bench.own('select coalesce(ended_at, created_at) as at from mattock.run where id = $1', [run]) // prettier-ignore
    expect(of.oldest).toBe(made!.at)
    expect(await amountOf('rejects')).toMatchObject({ count: 1, goes: 0 })
    expect((await amountOf('rejects')).bytes).toBeGreaterThan(10)
  })

  it('says beforehand what would go, and goes no sooner', async () => {
    const first = await bench.load(job('aging'))
    await bench.load(job('aging'))
    expect(await wouldGo(bench.engine, 'runs', 10, later(9))).toBe(0)
    expect(await wouldGo(bench.engine, 'runs', 10, later(11))).toBe(1)
    expect(await wouldGo(bench.engine, 'runs', null, later(9999))).toBe(0)
    await keepFor(bench.engine, 'runs', 10, 'Ana')
    expect((await tidy(bench.engine, later(9))).runs).toBeUndefined()
    expect(await runs()).toContain(first)
    expect((await tidy(bench.engine, later(11))).runs).toBe(1)
    expect(await runs()).not.toContain(first)
    expect(await amountOf('runs')).toMatchObject({ days: 10, setBy: 'Ana' })
  })

  it('takes a run with its loads, steps, plan and rejects, and leaves no orphan', async () => {
    const first = await bench.load(job('whole'))
    await bench.load(job('whole'))
    const folder = join(bench.folder, 'rejects', String(first))
    expect(existsSync(folder)).toBe(true)
    await keepFor(bench.engine, 'runs', 10, 'Ana')
    await tidy(bench.engine, later(20))
    expect(existsSync(folder)).toBe(false)
    const [orphans] = await bench.own(`select
      (select count(*)::int from mattock.load l where not exists (select 1 from mattock.run r where r.id = l.run_id)) as loads,
      (select count(*)::int from mattock.load_step s where not exists (select 1 from mattock.load l where l.id = s.load_id)) as steps,
      (select count(*)::int from mattock.plan p where not exists (select 1 from mattock.run r where r.plan_id = p.id)) as plans,
      (select count(*)::int from mattock.planned_load l where not exists (select 1 from mattock.plan p where p.id = l.plan_id)) as planned,
      (select count(*)::int from mattock.plan_row l where not exists (select 1 from mattock.plan p where p.id = l.plan_id)) as rows`)
    expect(orphans).toEqual({ loads: 0, steps: 0, plans: 0, planned: 0, rows: 0 })
  })

  it('leaves the newest run of each job, however old, and every run that is going on', async () => {
    const only = await bench.load(job('rare'))
    const [going] = await bench.own(
      `insert into mattock.run (job, title, version_id, plan_id, environment, state, by, cause, created_at)
       select job, title, version_id, plan_id, environment, 'running', by, cause, created_at - interval '900 days' from mattock.run where id = $1
       returning id`,
      [only],
    )
    await tidy(bench.engine, later(1000))
    expect(await runs()).toEqual(expect.arrayContaining([only, Number(going!.id)]))
    await bench.own('delete from mattock.run where id = $1', [going!.id])
  })

  it('keeps the plan of a run that another repeats, until that one goes too', async () => {
    bench.writeFile('fails.csv', 'meter,value\na,many\n')
    const failed = await bench.load(fileJob('again', 'fails.csv', into, 'types: {value: integer}'))
    const again = await rerun(bench.engine, failed, { by: 'test', cause: 'test' })
    await bench.ended(again)
    await tidy(bench.engine, later(500))
    expect(await runs()).toContain(again)
    const [plan] = await bench.own('select plan_id from mattock.run where id = $1', [again])
    expect(await bench.own('select 1 from mattock.plan where id = $1', [plan!.plan_id])).toHaveLength(1)
  })

  it('remembers slices that were loaded beyond their runs', async () => {
    const sliced = job('sliced').replace(
      'parts:',
      'slices: {every: P1D, zone: UTC, from: 2026-11-01}\nparts:',
    )
    await bench.load(sliced, { span: '2026-11-01/2026-11-02' })
    await bench.load(sliced, { span: '2026-11-02/2026-11-03' })
    await tidy(bench.engine, later(500))
    expect(
      await bench.own(
        `select (slice_from at time zone 'UTC')::date::text as day from mattock.loaded_slice where job = 'sliced' order by 1`,
      ),
    ).toEqual([{ day: '2026-11-01' }, { day: '2026-11-02' }])
  })

  it('takes plans that nobody started, and none that somebody did', async () => {
    const run = await bench.load(job('planned'))
    const { id } = await makePlan(bench.engine, {
      job: 'planned',
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    await tidy(bench.engine, later(8))
    expect(await bench.own('select 1 from mattock.plan where id = $1', [id])).toEqual([])
    expect(await bench.own('select 1 from mattock.run where id = $1', [run])).toHaveLength(1)
  })

  it('takes the files of rejects, says so in the record, and leaves counts and reasons', async () => {
    const run = await bench.load(job('rejected'))
    await keepFor(bench.engine, 'runs', null, 'Ana')
    await tidy(bench.engine, later(91))
    const [step] = await bench.own(
      `select s.reject_file, s.rejected, s.reject_reasons, s.log from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1`,
      [run],
    )
    expect(step).toMatchObject({ reject_file: null, rejected: 1 })
    expect(Object.values(step!.reject_reasons as object)).toEqual([1])
    expect((step!.log as string[]).join()).toContain('its rejects were kept for a time')
    expect(await amountOf('rejects')).toMatchObject({ count: 0, bytes: 0, oldest: null })
  })

  it('takes what was seen of files, and leaves what was looked at lately', async () => {
    await bench.own(
      `insert into mattock.file_head (environment, connection, path, reading, size, modified, head, looked_at)
       select 'dev', 'drop', n || '.csv', r, 1, 'x', '{}', now() - n * interval '60 days'
       from generate_series(1, 2) n, unnest(array['a', 'b']) r`,
    )
    await tidy(bench.engine)
    expect(await bench.own('select path, reading from mattock.file_head order by 1, 2')).toEqual([
      { path: '1.csv', reading: 'a' },
      { path: '1.csv', reading: 'b' },
    ])
  })

  it('sweeps folders whose run is gone, and nothing that it did not make', async () => {
    for (const name of ['987654', 'notes']) {
      mkdirSync(join(bench.folder, 'rejects', name), { recursive: true })
      writeFileSync(join(bench.folder, 'rejects', name, 'x.csv'), 'x')
    }
    await tidy(bench.engine)
    expect(existsSync(join(bench.folder, 'rejects', '987654'))).toBe(false)
    const left = (await sweptSoFar(bench.engine)).find(({ kind }) => kind === 'rejects')!
    expect(left).toMatchObject({ total: 1, last: 1 })
    expect(Date.parse(left.at!)).toBeGreaterThan(0)
    expect(existsSync(join(bench.folder, 'rejects', 'notes'))).toBe(true)
  })

  it('adds up what was left behind, and says how much of it the last time', async () => {
    const of = async () => (await sweptSoFar(bench.engine)).find(({ kind }) => kind === 'files')
    expect(await of()).toMatchObject({ total: 0, last: 0, at: null })
    for (const number of [3, 0, 2]) await noteSwept(bench.engine, 'files', number)
    expect(await of()).toMatchObject({ total: 5, last: 2, at: expect.any(String) })
  })

  it('is tidied by one process at a time', async () => {
    await bench.load(job('twice'))
    for (let i = 0; i < 2; i++)
      await makePlan(bench.engine, { job: 'twice', environment: 'dev', parameters: {}, by: 'test' })
    const both = await Promise.all([tidy(bench.engine, later(8)), tidy(bench.engine, later(8))])
    // neither is taken away twice, nor counted twice
    expect(both.reduce((sum, { plans = 0 }) => sum + plans, 0)).toBe(2)
    // the lock is given back: this one, of this database (the tests beside have theirs on the same server)
    expect(
      await bench.own(
        `select count(*)::int as n from pg_locks where locktype = 'advisory' and objid = 7301955
          and database = (select oid from pg_database where datname = current_database())`,
      ),
    ).toEqual([{ n: 0 }])
  })

  it('is kept for the fewest days at least', async () => {
    for (const kind of keptKinds) {
      const { fewest } = kept[kind]
      await expect(keepFor(bench.engine, kind, fewest - 1, 'Ana')).rejects.toThrow(/at least/)
      await expect(keepFor(bench.engine, kind, 1.5, 'Ana')).rejects.toThrow(/at least/)
      await keepFor(bench.engine, kind, fewest, 'Ana')
      await keepFor(bench.engine, kind, null, 'Ana')
    }
  })
})
