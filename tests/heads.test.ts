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
}, 60_000)
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

it('looks again only where a file changed', async () => {
  const kept = async () => await bench.own('select path, xmin::text from mattock.file_head order by path')
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
