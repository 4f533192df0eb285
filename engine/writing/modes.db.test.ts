import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { writeModes } from '../../core/job/writes'
import { fileJob, testBench, type TestBench } from '../../tests/support/bench'
import { modes } from './modes'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows('create schema raw')
})
afterAll(() => bench.close())
beforeEach(async () => {
  await bench.rows('drop table if exists raw.r')
  await bench.rows('create table raw.r (meter text primary key, at timestamptz, value integer)')
})

let counter = 0
const load = async (csv: string, into: string, more = '', ask: { span?: string } = {}) => {
  bench.writeFile('r.csv', csv)
  const document = fileJob(
    `mode-${++counter}`,
    'r.csv',
    `{connection: warehouse, table: raw.r, ${into}}`,
    more,
  )
  const sliced = ask.span
    ? document.replace('parts:', 'slices: {every: P1D, zone: UTC, from: 2026-11-01}\nparts:')
    : document
  const run = await bench.load(sliced, ask)
  const [found] = await bench.own(
    `select state, read, written, unchanged, rejected, filtered, merged, error ->> 'code' as code, error ->> 'message' as message from mattock.load where run_id = $1`,
    [run],
  )
  return found!
}
const rows = () => bench.rows('select meter, value from raw.r order by 1')

describe('ways of writing', () => {
  it('are all of those that jobs know', () => {
    expect(Object.keys(modes).sort()).toEqual([...writeModes].sort())
  })

  it('append: adds, and a key that is there fails the load with nothing written', async () => {
    expect(await load('meter,value\na,1\nb,2\n', 'write: append')).toMatchObject({
      state: 'done',
      written: 2,
    })
    const again = await load('meter,value\nc,3\na,9\n', 'write: append')
    expect(again).toMatchObject({ state: 'failed', code: '23505' })
    expect(await rows()).toEqual([
      { meter: 'a', value: 1 },
      { meter: 'b', value: 2 },
    ])
  })

  it('replace-all: what was there is gone, and stays where the load fails', async () => {
    await load('meter,value\na,1\nb,2\n', 'write: append')
    expect(await load('meter,value\nc,3\n', 'write: replace-all')).toMatchObject({
      state: 'done',
      written: 1,
    })
    expect(await rows()).toEqual([{ meter: 'c', value: 3 }])
    expect(await load('meter,value\nd,many\n', 'write: replace-all')).toMatchObject({ state: 'failed' })
    expect(await rows()).toEqual([{ meter: 'c', value: 3 }])
  })

  it('replace-slice: only the slice, and no row from outside it', async () => {
    const into = 'write: replace-slice, slice_by: at'
    const day = (n: number, ...meters: string[]) =>
      `meter,at,value\n${meters.map((meter) => `${meter},2026-11-0${n}T05:00:00Z,${n}\n`).join('')}`
    await load(day(1, 'a', 'b'), into, '', { span: '2026-11-01' })
    await load(day(2, 'c'), into, '', { span: '2026-11-02' })
    expect(await load(day(1, 'z'), into, '', { span: '2026-11-01' })).toMatchObject({
      state: 'done',
      written: 1,
    })
    expect(await rows()).toEqual([
      { meter: 'c', value: 2 },
      { meter: 'z', value: 1 },
    ])
    expect(await load(day(2, 'q'), into, '', { span: '2026-11-01' })).toMatchObject({
      state: 'failed',
      code: 'outside-slice',
    })
    // the end of a slice is not in it
    const edge = 'meter,at,value\ne,2026-11-02T00:00:00Z,1\n'
    expect(await load(edge, into, '', { span: '2026-11-01' })).toMatchObject({
      state: 'failed',
      code: 'outside-slice',
    })
    expect(await rows()).toHaveLength(2)
  })

  it('upsert: tells what is new or changed from what is as it was', async () => {
    const into = 'write: upsert, key: [meter]'
    await load('meter,value\na,1\nb,2\n', into)
    expect(await load('meter,value\na,1\nb,3\nc,4\n', into)).toMatchObject({
      state: 'done',
      read: 3,
      written: 2,
      unchanged: 1,
    })
    // null is a value too, and not another each time
    await load('meter,value\na,\n', into)
    expect(await load('meter,value\na,\n', into)).toMatchObject({ written: 0, unchanged: 1 })
  })

  it('upsert: needs an index that tells rows apart, and a key in every row', async () => {
    expect(await load('meter,value\na,1\n', 'write: upsert, key: [value]')).toMatchObject({
      state: 'failed',
      code: 'no-unique-key',
    })
    expect(await load('meter,value\n,1\n', 'write: upsert, key: [meter]')).toMatchObject({ state: 'failed' })
    expect(await rows()).toEqual([])
  })

  it('upsert: a key that comes twice fails, or its last row is kept, as the job says', async () => {
    const csv = 'meter,value\na,1\na,2\n'
    expect(await load(csv, 'write: upsert, key: [meter]')).toMatchObject({ state: 'failed' })
    expect(await load(csv, 'write: upsert, key: [meter], repeats: keep-last')).toMatchObject({
      state: 'done',
      read: 2,
      written: 1,
      merged: 1,
    })
    expect(await rows()).toEqual([{ meter: 'a', value: 2 }])
  })

  it('upsert: of a table that is nothing but its key adds what is not there', async () => {
    await bench.rows('drop table raw.r')
    await bench.rows('create table raw.r (meter text primary key)')
    await load('meter\na\n', 'write: upsert, key: [meter]')
    expect(await load('meter\na\nb\n', 'write: upsert, key: [meter]')).toMatchObject({
      written: 1,
      unchanged: 1,
    })
  })
})

describe('a load', () => {
  it('is recorded as balanced in each of these', async () => {
    const off = await bench.own(
      `select id, state, read, written, unchanged, rejected, filtered, merged from mattock.load
       where state = 'done' and read <> written + unchanged + rejected + filtered + merged`,
    )
    expect(off).toEqual([])
  })

  it('takes effect once: its marker stands in the target with its rows', async () => {
    const before = Number((await bench.rows('select count(*)::int as n from mattock.load_marker'))[0]!.n)
    await load('meter,value\na,1\n', 'write: append')
    await load('meter,value\na,1\n', 'write: append')
    const after = Number((await bench.rows('select count(*)::int as n from mattock.load_marker'))[0]!.n)
    // the one that failed left none
    expect(after - before).toBe(1)
  })
})
