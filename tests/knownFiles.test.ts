import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { dataset } from '../database/catalog'
import { makeOneJob } from '../engine/catalog/oneJob'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { fileJob, testBench, type TestBench } from './support/bench'
import { xlsx } from './support/files'
import { takeIn } from './support/surveyed'
import { headers } from './corpus/headers'
import { layouts } from './corpus/layouts'
import { values } from './corpus/values'

/** The catalog decides: files are read as the dataset that a person saw and mended. */
let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
})
afterAll(() => bench.close())

const cell = (value: string | number) => ({ value })
const sheet = (...lines: (string | number)[][]) => lines.map((line) => line.map(cell))
const named = async (name: string) => {
  const [found] = await bench.engine.db.select().from(dataset).where(eq(dataset.name, name))
  return found!
}
const job = (name: string, files: string, of: string, more = '') => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: ${JSON.stringify(files)}, dataset: ${of}${more}}
          into: {connection: warehouse, table: public.${name.replaceAll('-', '_')}, write: append}
          rejects: keep
`

describe('files of a dataset of the catalog', () => {
  beforeAll(async () => {
    bench.writeFile('first/a_1.csv', 'code;flow;seen\n007;1,5;02/03/2026\n008;n/a;03/04/2026\n')
    bench.writeFile('bare/b_1.csv', '1;north\n2;south\n')
    bench.writeFile('shared/x_1.csv', 'id,side\n1,north\n')
    bench.writeFile('shared/x_2.csv', 'meter,read_at,lps\nA,2026-01-01,1.5\n')
    bench.writeFile('docs/order_1.json', '[{"id":1,"lines":[{"sku":"a","n":2},{"sku":"b","n":3}]}]')
    await takeIn(bench, 'drop')
  })

  it('are read by the types, names and patterns that a person mended', async () => {
    const entry = await named('drop.first.a')
    // what can be read in two ways was asked, and a person chose
    const seen = entry.columns.find(({ name }) => name === 'seen')!
    expect(seen.type).toBe('text')
    expect(seen.verdict!.asked!.map(({ reading }) => reading.dates![0])).toEqual(['d/M/yyyy', 'M/d/yyyy'])
    const edits = {
      seen: { type: 'date' as const, reading: { dates: ['d/M/yyyy'] } },
      flow: { name: 'lps' },
    }
    await bench.engine.db.update(dataset).set({ edits }).where(eq(dataset.id, entry.id))
    const run = await bench.load(job('mended', 'first/a_*.csv', 'drop.first.a'))
    expect(await bench.own('select state, error from mattock.load where run_id = $1', [run])).toEqual([
      { state: 'done', error: null },
    ])
    expect(await bench.rows('select code, lps::text, seen::text from mended order by code')).toEqual([
      { code: '007', lps: '1.5', seen: '2026-03-02' },
      { code: '008', lps: null, seen: '2026-04-03' },
    ])
    const [step] = await bench.own(
      'select log from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
      [run],
    )
    expect((step!.log as string[]).join('\n')).toMatch(/flow: 1 × "n\/a" read as nothing/)
  })

  it('that come later are read so, too, and columns that nobody knew are worked out', async () => {
    bench.writeFile('first/a_2.csv', 'seen;code;more;flow\n05/06/2026;009;12 %;2,5\n')
    await bench.load(job('later', 'first/a_*.csv', 'drop.first.a'))
    expect(
      await bench.rows('select code, lps::text, seen::text, more::text from later order by code'),
    ).toEqual([
      { code: '007', lps: '1.5', seen: '2026-03-02', more: null },
      { code: '008', lps: null, seen: '2026-04-03', more: null },
      { code: '009', lps: '2.5', seen: '2026-06-05', more: '12' },
    ])
  })

  it('have the names that a person gave where the file has none', async () => {
    const entry = await named('drop.bare.b')
    const edits = { column_1: { name: 'id' }, column_2: { name: 'side' } }
    await bench.engine.db.update(dataset).set({ edits }).where(eq(dataset.id, entry.id))
    await bench.load(job('bare', 'bare/*.csv', 'drop.bare.b'))
    expect(await bench.rows('select id::text, side from bare order by id')).toEqual([
      { id: '1', side: 'north' },
      { id: '2', side: 'south' },
    ])
  })

  it('are read as a person set it where the job names no dataset, too, but for names; the job goes before', async () => {
    bench.writeFile('unsaid/u_1.csv', 'code,day,who\n007,03/04/2026,a\n008,04/04/2026,b\n')
    await takeIn(bench, 'drop')
    const entry = await named('drop.unsaid.u')
    const edits = {
      code: { type: 'integer' as const },
      day: { type: 'date' as const, reading: { dates: ['M/d/yyyy'] } },
      who: { name: 'person' },
    }
    await bench.engine.db.update(dataset).set({ edits }).where(eq(dataset.id, entry.id))
    const plain = (name: string, more = '') =>
      fileJob(name, 'unsaid', `{connection: warehouse, table: public.${name}, write: replace-all}`).replace('"{row.file}"', `"unsaid/*.csv"${more}`) // prettier-ignore
    const run = await bench.load(plain('unsaid'))
    expect(await bench.rows('select code::text, day::text, who from unsaid order by code')).toEqual([
      { code: '7', day: '2026-03-04', who: 'a' },
      { code: '8', day: '2026-04-04', who: 'b' },
    ])
    const [step] = await bench.own('select s.log from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1', [run]) // prettier-ignore
    expect(String(step!.log)).toContain('as a person set it for drop.unsaid.u: code is integer, day is date')
    await bench.load(plain('said', ', dates: [d/M/yyyy]'))
    expect(await bench.rows('select day::text from said order by code')).toEqual([
      { day: '2026-04-03' },
      { day: '2026-04-04' },
    ])
    const planned = await makePlan(bench.engine, { job: 'unsaid', environment: 'dev', parameters: {}, by: 'test' }) // prettier-ignore
    const said = planned.plan.findings.filter(({ code }) => ['catalog-names', 'odd-values'].includes(code))
    expect(said.map(({ message }) => message)).toEqual([
      'unsaid: the files are known as drop.unsaid.u, whose person a person named; say dataset: drop.unsaid.u to have the names, too',
    ])
  })

  it('leave files of other datasets in the same place alone', async () => {
    const names = (await bench.own(`select name from mattock.dataset where locator like 'shared/%'`)) as {
      name: string
    }[]
    expect(names).toHaveLength(2)
    const first = (await bench.own(
      `select name from mattock.dataset where locator like 'shared/%' and columns::text like '%side%'`,
    )) as { name: string }[]
    await bench.load(job('apart', 'shared/*.csv', first[0]!.name))
    expect(await bench.rows('select id::text, side from apart')).toEqual([{ id: '1', side: 'north' }])
  })

  it('say so where the catalog has no such dataset', async () => {
    const run = await bench.load(job('nowhere', 'first/a_*.csv', 'drop.nowhere'))
    const [load] = await bench.own('select state, error from mattock.load where run_id = $1', [run])
    expect(load).toMatchObject({
      state: 'failed',
      error: { message: 'there is no dataset drop.nowhere in the catalog of dev' },
    })
  })
})

it('one job for thirty mixed datasets loads all of them at the first run', async () => {
  // in a store of its own, each kind of file once
  const picked = [...layouts.slice(0, 12), ...headers.slice(0, 10), ...values.slice(0, 8)].filter(
    (of) => of.from === undefined && of.fault === undefined && of.rejects === undefined,
  )
  for (const [i, of] of picked.entries()) bench.writeFile(`mixed/k${i}/${of.name}`, of.bytes)
  bench.writeFile(
    'mixed/book/week.xlsx',
    await xlsx({ flow: sheet(['id', 'lps'], [1, 1.5]), level: sheet(['id', 'mm', 'at'], [1, 200, 'a']) }),
  )
  bench.writeFile('mixed/Größe/Größe_1.csv', 'id,Höhe\n1,2.5\n')
  bench.writeFile('mixed/docs/order_1.ndjson', '{"id":1,"lines":[{"sku":"a","n":2},{"sku":"b","n":3}]}\n')
  await bench.rows('create schema raw')
  await bench.rows(
    'create table public.reg_pump (id uuid primary key, doc jsonb, x xml, name text not null, "Mixed Case" int)',
  )
  await bench.rows(
    `insert into public.reg_pump values ('6f9619ff-8b86-d011-b42d-00cf4fc964ff', '{"a": 1.50}', '<a/>', ' north ', 5)`,
  )
  await takeIn(bench, 'drop')
  await takeIn(bench, 'warehouse')
  const datasets = (await bench.own(
    `select id, name from mattock.dataset where locator like 'mixed/%' or locator = 'public.reg_pump'`,
  )) as { id: number; name: string }[]
  expect(datasets.length).toBeGreaterThanOrEqual(30)
  const made = await makeOneJob(
    bench.engine,
    datasets.map(({ id }) => id),
    { job: 'all-of-it', title: 'All of it', control: 'all_of_it', connection: 'warehouse', schema: 'raw', write: 'replace-all', atOnce: 4, trim: true },
    'test',
  ) // prettier-ignore
  expect(made.left).toEqual([])
  const { id, plan } = await makePlan(bench.engine, {
    job: 'all-of-it',
    environment: 'dev',
    parameters: {},
    by: 'test',
  })
  expect(plan.findings.filter(({ level }) => level === 'stop')).toEqual([])
  const run = await startRun(bench.engine, { plan: id, by: 'test' })
  await bench.ended(run)
  const failed = await bench.own(
    `select key, error from mattock.load where run_id = $1 and state <> 'done'`,
    [run],
  )
  expect(failed).toEqual([])
  expect(
    await bench.rows('select id::text, doc->>\'a\' as a, x::text, name, "Mixed Case" from raw.reg_pump'),
  ).toEqual([
    { id: '6f9619ff-8b86-d011-b42d-00cf4fc964ff', a: '1.50', x: '<a/>', name: 'north', 'Mixed Case': 5 },
  ])
  const targets = made.control.rows.map(({ target }) => target)
  expect(targets).toContain('groesse')
  expect(await bench.rows('select id::text, höhe::text from raw.groesse')).toEqual([{ id: '1', höhe: '2.5' }])
  // both sheets of the workbook, and the list within the documents
  expect(targets.filter((target) => /flow|level/.test(String(target)))).toHaveLength(2)
  expect(await bench.rows('select sku, n::text from raw.lines order by sku')).toEqual([
    { sku: 'a', n: '2' },
    { sku: 'b', n: '3' },
  ])
})
