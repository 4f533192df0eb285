import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { testBench, type TestBench } from './support/bench'

/** A plan looks at the beginning of each file, once: what it shows is kept by path, size and time. */
let bench: TestBench
const files: Record<string, string | Buffer> = {
  good: 'id,v\n1,2\n3,4\n',
  page: '<!DOCTYPE html><html><body>Sign in</body></html>',
  bare: 'id,v\n',
  ragged: 'id,v\n1,2\n3,4,5\n',
  more: 'id,v,colour\n1,2,red\n',
  half: gzipSync('id,v\n1,2\n').subarray(0, 12),
}
beforeAll(async () => {
  bench = await testBench()
  for (const [name, bytes] of Object.entries(files)) bench.writeFile(`in/${name}.csv`, bytes)
  await bench.rows('create table flow (id int, v int)')
  await bench.rows('create table "Big Flow" (id int)')
  await bench.rows('create view seen as select * from flow')
  await saveJob(
    bench.engine,
    `
mattock: job/1
name: heads
title: Heads
parts:
  - each: {roster: {rows: [${Object.keys(files)
    .map((name) => `{file: ${name}}`)
    .join(', ')}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "in/{row.file}.csv"}
          into: {connection: warehouse, table: public.flow, write: append}
  - each: {roster: {rows: [{table: seen}, {table: big_flow}]}}
    do:
      - id: elsewhere
        transfer:
          from: {store: drop, files: "in/good.csv"}
          into: {connection: warehouse, table: "public.{row.table}", write: append}
`,
    { by: 'test' },
  )
})
afterAll(() => bench.close())

const planned = async () =>
  (await makePlan(bench.engine, { job: 'heads', environment: 'dev', parameters: {}, by: 'test' })).plan

it('says what loads would find, before they run', async () => {
  const { findings, loads } = await planned()
  const said = (code: string) =>
    findings
      .filter((finding) => finding.code === code)
      .map(({ message, loads: numbers }) => [message, numbers?.map((number) => loads[number]!.key)])
  expect(said('unreadable-file')).toEqual([
    [
      expect.stringMatching(
        /^2 loads have files that cannot be read: page, half; page: in\/page\.csv: an HTML page/,
      ),
      ['page', 'half'],
    ],
  ])
  expect(said('header-only')).toEqual([['bare: in/bare.csv has a header and no rows', ['bare']]])
  expect(said('ragged-file')).toEqual([
    ['ragged: in/ragged.csv, line 3: 3 fields where the header has 2', ['ragged']],
  ])
  expect(said('other-columns')).toEqual([
    [expect.stringMatching(/^more: in\/more\.csv has colour, which public\.flow lacks/), ['more']],
  ])
  expect(said('target-kind')).toEqual([
    ['seen: public.seen in warehouse is a view; rows go into a table', ['seen']],
  ])
  expect(said('like-target')).toEqual([
    [
      'big_flow: public.big_flow would be made, and public.Big Flow stands already; is it meant?',
      ['big_flow'],
    ],
  ])
})

it('says which values the types of their columns cannot take, by the table, the job and the catalog', async () => {
  bench.writeFile('odd/table.csv', 'id,v,note\n1,2,x\n3,4.0,"two\nlines"\n5,6.5,y\nmany,7,z\n')
  bench.writeFile('odd/job.csv', 'a;b;c\n1,5;01.02.2026;Sallow\n2,5;31.02.2026;Brackwell\n')
  bench.writeFile('odd/good.csv', 'id,v\n1,"2,000"\n3,"4,000,000"\n')
  const job = (name: string, file: string, into: string, more: string, types = '') => `
mattock: job/1
name: ${name}
title: Odd
parts:
  - once:
      - id: bring-in
        transfer:
          from: {store: drop, files: "odd/${file}.csv"${more}}
          into: {connection: warehouse, table: public.${into}, write: append, unknown_columns: ignore}
          ${types}
`
  const said = async (text: string) => {
    const { job: saved } = await saveJob(bench.engine, text, { by: 'test' })
    const { plan } = await makePlan(bench.engine, { job: saved, environment: 'dev', parameters: {}, by: 'test' }) // prettier-ignore
    return plan.findings.filter(({ code }) => code === 'odd-values').map(({ message }) => message)
  }
  // the line counts breaks within quotes; 4.0 is a whole number; two columns are odd
  expect(await said(job('by-table', 'table', 'flow', ''))).toEqual([
    expect.stringMatching(
      /odd\/table\.csv, line 6: id is to be integer, and "many" is none; so it is for 1 of 4 rows looked at, and there are such values of v$/,
    ),
  ])
  expect(
    await said(
      job('by-job', 'job', 'new_one', ', delimiter: ";", decimal: ",", dates: [dd.MM.yyyy]', 'types: {a: decimal, b: date, c: text}'), // prettier-ignore
    ),
  ).toEqual([
    expect.stringMatching(/job\.csv, line 3: b is to be date, and "31\.02\.2026" is none; .* 1 of 2/),
  ])
  // what the load would work out by itself is none, and neither is a name that the table lacks
  expect(await said(job('by-itself', 'good', 'flow', ', format: detect'))).toEqual([])
  expect(await said(job('by-rule', 'good', 'flow', ''))).toEqual([
    expect.stringMatching(/line 2: v is to be integer, and "2,000" is none; so it is for 2 of 2/),
  ])
})

it('looks again only where a file changed', async () => {
  const kept = async () =>
    await bench.own(`select path, xmin::text from mattock.file_head where path like 'in/%' order by path`)
  const before = await kept()
  expect(before).toHaveLength(Object.keys(files).length)
  await planned()
  expect(await kept()).toEqual(before)
  bench.writeFile('in/bare.csv', 'id,v\n9,9\n')
  const { findings } = await planned()
  expect(findings.map(({ code }) => code)).not.toContain('header-only')
  const after = await kept()
  expect(after.filter((row, i) => row.xmin !== before[i]!.xmin).map(({ path }) => path)).toEqual([
    'in/bare.csv',
  ])
})
