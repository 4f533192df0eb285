import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { makePlan } from '../engine/planning/plan'
import { readPlan } from '../engine/planning/stored'
import { saveJob } from '../engine/jobs/versions'
import { marksOf, movesOf, setMark } from '../engine/writing/marks'
import { testBench, type TestBench } from './support/bench'

// Loads that read only what is new: the mark moves with their transaction, and never otherwise.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
})
afterAll(() => bench.close())

const job = (name: string, from: string, more = 'write: append', column = 'id') => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - id: bring-in
        transfer:
          from: {connection: warehouse, ${from}}
          into: {connection: warehouse, table: public.${name}_to, ${more}}
          since: {column: ${column}, kept_as: '${name} mark'}
`
const lastLoad = async (run: number) =>
  (await bench.own(`select l.state, l.read::int as read, l.written::int as written, l.error ->> 'message' as message, s.log from mattock.load l left join mattock.load_step s on s.load_id = l.id where l.run_id = $1`, [run]))[0] as { state: string; read: number; written: number; message: string | null; log: string[] } // prettier-ignore
const mark = async (name: string) => (await marksOf(bench.engine, name, 'dev')).map(({ value }) => value)

describe('a load since a mark', () => {
  it('reads what is past it, and nothing twice', async () => {
    await bench.rows('create table public.plain_from (id int primary key, v text)')
    await bench.rows(`insert into public.plain_from select g, 'v' from generate_series(1, 100) g`)
    const document = job('plain', 'table: public.plain_from')
    expect(await lastLoad(await bench.load(document))).toMatchObject({ read: 100, written: 100 })
    expect(await mark('plain')).toEqual(['100'])
    const nothing = await lastLoad(await bench.load(document))
    expect(nothing).toMatchObject({ state: 'done', read: 0, written: 0 })
    await bench.rows(`insert into public.plain_from values (101, 'new'), (250, 'new')`)
    const next = await lastLoad(await bench.load(document))
    expect(next).toMatchObject({ read: 2, written: 2 })
    expect(next.log.join('\n')).toContain('only what is new by id: past 100, up to 250')
    expect(await bench.rows('select * from public.plain_from except all select * from public.plain_to')).toEqual([]) // prettier-ignore
    expect(await bench.rows('select count(*)::int as n from public.plain_to')).toEqual([{ n: 102 }])
    const moves = await movesOf(bench.engine, 'dev', 'warehouse', 'plain mark')
    expect(moves.map(({ from, to }) => [from, to])).toEqual([['100', '250'], [null, '100']]) // prettier-ignore
  })

  it.each([
    ['times', 'timestamptz', `'2026-03-29T00:30:00.123456Z'::timestamptz + g * interval '1 microsecond'`],
    ['dates', 'date', `date '2026-01-01' + g`],
    ['decimals', 'numeric', `12345678901234567890.1 + g / 1000.0`],
    ['doubles', 'float8', `0.1::float8 + g / 3.0::float8`],
    ['texts', 'text', `'o''dd "' || lpad(g::text, 5, '0')`],
  ])('goes by %s to their last digit, in a query with values, too', async (name, type, value) => {
    await bench.rows(`create table public.${name}_from (k ${type}, v int)`)
    await bench.rows(`insert into public.${name}_from select ${value}, g from generate_series(1, 50) g`)
    const document = job(name, `query: "select k, v from public.${name}_from where v > {run.id - run.id}"`, 'write: append', 'k') // prettier-ignore
    expect(await lastLoad(await bench.load(document))).toMatchObject({ state: 'done', read: 50 })
    await bench.rows(`insert into public.${name}_from select ${value}, g from generate_series(51, 60) g`)
    expect(await lastLoad(await bench.load(document))).toMatchObject({ read: 10, written: 10 })
    expect(await bench.rows(`select * from public.${name}_from except all select * from public.${name}_to`)).toEqual([]) // prettier-ignore
    expect(await bench.rows(`select count(*)::int as n from public.${name}_to`)).toEqual([{ n: 60 }])
  })

  it('leaves its mark where it was when it fails, and keeps rows without a value out', async () => {
    await bench.rows('create table public.fails_from (id int, v text)')
    await bench.rows(`insert into public.fails_from values (1, 'a'), (null, 'none')`)
    const document = job('fails', 'table: public.fails_from')
    const first = await lastLoad(await bench.load(document))
    expect(first).toMatchObject({ read: 1 })
    expect(first.log.join('\n')).toContain('rows without a value in id are never past the mark')
    await bench.rows(`alter table public.fails_to add check (v <> 'bad')`)
    await bench.rows(`insert into public.fails_from values (2, 'b'), (3, 'bad')`)
    expect((await lastLoad(await bench.load(document))).state).toBe('failed')
    expect(await mark('fails')).toEqual(['1'])
    await bench.rows(`update public.fails_from set v = 'good' where id = 3`)
    expect(await lastLoad(await bench.load(document))).toMatchObject({ state: 'done', read: 2 })
    expect(await mark('fails')).toEqual(['3'])
  })

  it('of which two run at once reads nothing twice', async () => {
    await bench.rows('create table public.race_from (id int primary key)')
    await bench.rows('insert into public.race_from select generate_series(1, 2000)')
    await bench.rows('create table public.race_to (id int)')
    const document = job('race', 'table: public.race_from').replace('  - once:', '  - each: {roster: {rows: [{n: 1}, {n: 2}, {n: 3}, {n: 4}]}, at_once: 4}\n    do:').replace('public.race_from}', `public.race_from}`) + `      - {id: tell, log: {text: '{row.n}'}}\n` // prettier-ignore
    const { job: saved } = await saveJob(bench.engine, document.replace('table: public.race_from', `query: 'select id from public.race_from where {row.n} > 0'`), { by: 'test' }) // prettier-ignore
    const { id } = await makePlan(bench.engine, {
      job: saved,
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    const stops = (await readPlan(bench.engine, id)).findings.filter(({ level }) => level === 'stop')
    expect(stops).toEqual([])
    const run = await bench.load(document.replace('table: public.race_from', `query: 'select id from public.race_from where {row.n} > 0'`)) // prettier-ignore
    const loads = await bench.own('select read::int as read, state from mattock.load where run_id = $1 order by read desc', [run]) // prettier-ignore
    expect(loads.map(({ read }) => read)).toEqual([2000, 0, 0, 0])
    expect(await bench.rows('select count(*)::int as n, count(distinct id)::int as ids from public.race_to')).toEqual([{ n: 2000, ids: 2000 }]) // prettier-ignore
  })

  it('is found to be empty, of a column with ties, or ahead of its source; and is set by hand with a reason', async () => {
    await bench.rows('create table public.found_from (id int)')
    await bench.rows('insert into public.found_from values (10)')
    const document = job('found', 'table: public.found_from')
    const findings = async () => {
      const { job: saved } = await saveJob(bench.engine, document, { by: 'test' })
      const { id } = await makePlan(bench.engine, {
        job: saved,
        environment: 'dev',
        parameters: {},
        by: 'test',
      })
      return (await readPlan(bench.engine, id)).findings.filter(({ code }) => code === 'watermark').map(({ level, message }) => `${level} ${message.slice(0, 60)}`) // prettier-ignore
    }
    expect(await findings()).toEqual([
      'look several rows of public.found_from can have the same id: one ',
      'note there is no mark found mark yet: all of public.found_from is',
    ])
    await bench.load(document)
    await bench.rows('create unique index on public.found_from (id)')
    expect(await findings()).toEqual([])
    const at = { environment: 'dev', connection: 'warehouse', name: 'found mark', why: 'the source was cut', by: 'ana' } // prettier-ignore
    await expect(setMark(bench.engine, { ...at, from: '9', to: '5' })).rejects.toThrow('the mark stands at 10 by now') // prettier-ignore
    await setMark(bench.engine, { ...at, from: '10', to: '50' })
    expect(await findings()).toEqual(['look the mark found mark stands at 50, and id of public.found_fro'])
    expect(await lastLoad(await bench.load(document))).toMatchObject({ state: 'done', read: 0 })
    expect(await mark('found')).toEqual(['50'])
    await setMark(bench.engine, { ...at, from: '50', to: null })
    expect(await lastLoad(await bench.load(document))).toMatchObject({ read: 1 })
    const moves = await movesOf(bench.engine, 'dev', 'warehouse', 'found mark')
    expect(moves.map(({ to, by, why }) => [to, by, why])).toEqual([
      ['10', null, null], [null, 'ana', 'the source was cut'], ['50', 'ana', 'the source was cut'], ['10', null, null],
    ]) // prettier-ignore
  })
})

describe('since', () => {
  it.each([
    [`from: {store: drop, files: '*'}, into: {connection: warehouse, table: t, write: append}`, 'since is for a table or a query of a database'],
    [`from: {connection: warehouse, table: t}, into: {connection: warehouse, table: u, write: replace-all}`, 'with since, rows are appended or upserted'],
    [`from: {connection: warehouse, table: t}, into: {store: drop, file: u.csv}`, 'since goes into a table'],
  ])('goes not with %s', async (given, fault) => {
    const text = `mattock: job/1\nname: odd\ntitle: odd\nparts:\n  - once:\n      - {id: a, transfer: {${given}, since: {column: id, kept_as: x}}}\n`
    await expect(saveJob(bench.engine, text, { by: 'test' })).rejects.toThrow(fault)
  })
}) // prettier-ignore
