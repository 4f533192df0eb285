import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { startMending, toMend } from '../engine/mending/start'
import { rerun, rerunOutlook } from '../engine/running/runs'
import { fileJob, testBench, type TestBench } from './support/bench'

// Rows that a load rejected, mended by a person and brought in by a run that is tied to it.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
})
afterAll(() => bench.close())

let number = 0
/** Loads a file, rejects kept; gives the run, its load, and the table. */
async function load(
  text: string,
  columns: string,
  { into = 'write: append', more = '', file = '.csv' } = {},
) {
  const name = `mend-${++number}`
  const table = `public.mend_${number}`
  bench.writeFile(`${name}${file}`, text)
  if (columns) await bench.rows(`create table ${table} (${columns})`)
  const run = await bench.load(
    fileJob(
      name,
      `${name}${file}`,
      `{connection: warehouse, table: ${table}, ${into}}`,
      `rejects: keep${more}`,
    ),
  )
  const [row] = await bench.own('select id::int as id, state, rejected::int as rejected from mattock.load where run_id = $1', [run]) // prettier-ignore
  return { run, table, load: row!.id as number, rejected: row!.rejected, state: row!.state }
}
type Loaded = Awaited<ReturnType<typeof load>>
const ask = ({ run, load: of }: Loaded) => toMend(bench.engine, run, of, 'bring-in')
const mend = (
  { run, load: of }: Loaded,
  rows: { at: number; values: (string | null)[] }[],
  more: object = {},
) => startMending(bench.engine, run, of, 'bring-in', rows, { by: 'ada', ...more })
const rowsOf = ({ table }: Loaded, order = '1') => bench.rows(`select * from ${table} order by ${order}`)
const loadsOf = async (run: number) =>
  await bench.own(
    'select state, read::int, written::int, rejected::int, unchanged::int, repeats::int, error from mattock.load where run_id = $1',
    [run],
  )

describe('rejected rows', () => {
  it('are shown by their values, mended, and brought in beside what is there, tied to the load', async () => {
    const first = await load('meter,value,note\nM-1,1,a\nM-2,x7,"b, c"\nM-3,,\nM-4,zz,d\n', 'meter text, value integer, note text') // prettier-ignore
    expect(first).toMatchObject({ state: 'done', rejected: 2 })
    const found = await ask(first)
    expect(found).toMatchObject({
      columns: ['meter', 'value', 'note'],
      total: 2,
      left: 2,
      cannot: null,
      runs: [],
    })
    expect(found.rows.map(({ at, line, values }) => [at, line, values])).toEqual([
      [0, 3, ['M-2', 'x7', 'b, c']],
      [1, 5, ['M-4', 'zz', 'd']],
    ])
    const run = await mend(first, [{ at: 0, values: ['M-2', '7', 'b, c'] }])
    expect(await bench.ended(run)).toBe('done')
    expect(await loadsOf(run)).toMatchObject([{ read: 1, written: 1, repeats: first.load }])
    expect((await rowsOf(first)).map(({ meter, value }) => [meter, value])).toEqual([['M-1', 1], ['M-2', 7], ['M-3', null]]) // prettier-ignore
    const after = await ask(first)
    expect(after).toMatchObject({ total: 2, left: 1, runs: [{ run, state: 'done', by: 'ada', rows: 1 }] })
    expect(after.rows.map(({ at }) => at)).toEqual([1])
    const [{ cause }] = (await bench.own('select cause from mattock.run where id = $1', [run])) as [
      { cause: string },
    ]
    expect(cause).toBe(`1 mended row of ${first.run}`)
  })

  it('that are still wrong are rejects of the run that brings them in, and can be mended there', async () => {
    const first = await load('meter,value\nM-1,x\nM-2,y\n', 'meter text, value integer')
    const run = await mend(first, [{ at: 0, values: ['M-1', 'still'] }, { at: 1, values: ['M-2', '2'] }]) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    const [second] = await bench.own('select id::int as id, read::int, written::int, rejected::int from mattock.load where run_id = $1', [run]) // prettier-ignore
    expect(second).toMatchObject({ read: 2, written: 1, rejected: 1 })
    const again = { ...first, run, load: second!.id as number }
    const found = await ask(again)
    expect(found.rows.map(({ values }) => values)).toEqual([['M-1', 'still']])
    expect(await bench.ended(await mend(again, [{ at: 0, values: ['M-1', '1'] }]))).toBe('done')
    expect(await rowsOf(first)).toEqual([{ meter: 'M-1', value: 1 }, { meter: 'M-2', value: 2 }]) // prettier-ignore
    expect((await ask(first)).left).toBe(0)
  })

  it('are read as the file was: decimal comma, days by a pattern, words for nothing', async () => {
    const name = `mend-${++number}`
    const table = `public.mend_${number}`
    bench.writeFile(
      `${name}.csv`,
      'meter;day;value\nM-1;24.12.2026;1,5\nM-2;31.02.2026;2,5\nM-3;01.03.2026;2,x\n',
    )
    await bench.rows(`create table ${table} (meter text, day date, value numeric(8,2))`)
    const job = fileJob(
      name,
      `${name}.csv`,
      `{connection: warehouse, table: ${table}, write: append}`,
      'rejects: keep',
    )
    const run = await bench.load(job.replace('files: "{row.file}"', 'files: "{row.file}", delimiter: ";", decimal: ",", dates: [dd.MM.yyyy], nulls: [n/a]')) // prettier-ignore
    const [row] = await bench.own('select id::int as id, rejected::int as rejected from mattock.load where run_id = $1', [run]) // prettier-ignore
    expect(row!.rejected).toBe(2)
    const first = { run, table, load: row!.id as number } as Loaded
    const mended = await mend(first, [
      { at: 0, values: ['M-2', '28.02.2026', '2,5'] },
      { at: 1, values: ['M-3', '01.03.2026', 'n/a'] },
    ])
    expect(await bench.ended(mended)).toBe('done')
    expect(
      await bench.rows(`select meter, day::text as day, value::text as value from ${table} order by 1`),
    ).toEqual([
      { meter: 'M-1', day: '2026-12-24', value: '1.50' },
      { meter: 'M-2', day: '2026-02-28', value: '2.50' },
      { meter: 'M-3', day: '2026-03-01', value: null },
    ])
  })

  it('of an upsert take the place of what stands there', async () => {
    const first = await load('meter,value\nM-1,1\nM-2,x\n', 'meter text primary key, value integer', { into: 'write: upsert, key: [meter]' }) // prettier-ignore
    const run = await mend(first, [{ at: 0, values: ['M-1', '9'] }])
    expect(await bench.ended(run)).toBe('done')
    expect(await rowsOf(first)).toEqual([{ meter: 'M-1', value: 9 }])
  })

  it('of a load that replaced all are added to what it wrote, and take nothing away', async () => {
    const first = await load('meter,value\nM-1,1\nM-2,2\nM-3,x\n', 'meter text, value integer', { into: 'write: replace-all', more: '\ncheck: [{rows: {at_least: 2}}, {unique: [meter]}]' }) // prettier-ignore
    expect(first.state).toBe('done')
    const run = await mend(first, [{ at: 0, values: ['M-3', '3'] }])
    expect(await bench.ended(run)).toBe('done')
    expect(await rowsOf(first)).toHaveLength(3)
  })

  it('of documents keep the digits of their numbers', async () => {
    const first = await load('[{"id":12345678901234567890,"n":"x"},{"id":1,"n":"2"}]', 'id numeric, n integer', { file: '.json' }) // prettier-ignore
    const found = await ask(first)
    expect(found.rows.map(({ values }) => values)).toEqual([['12345678901234567890', 'x']])
    expect(await bench.ended(await mend(first, [{ at: 0, values: ['12345678901234567890', '5'] }]))).toBe(
      'done',
    )
    expect(await bench.rows(`select id::text as id, n from ${first.table} order by n`)).toEqual([
      { id: '1', n: 2 },
      { id: '12345678901234567890', n: 5 },
    ])
  })

  it('of a table in the database are mended, too', async () => {
    await bench.rows(
      'create table public.mend_source as select * from (values (1, $$x$$), (2, $$5$$)) v(id, n)',
    )
    await bench.rows('create table public.mend_into (id integer, n integer)')
    const run = await bench.load(`mattock: job/1
name: mend-table
title: x
parts:
  - once:
      - id: bring-in
        transfer:
          from: {connection: warehouse, table: public.mend_source}
          into: {connection: warehouse, table: public.mend_into, write: append}
          rejects: keep
`)
    const [row] = await bench.own('select id::int as id, rejected::int as rejected, state, error from mattock.load where run_id = $1', [run]) // prettier-ignore
    expect(row).toMatchObject({ rejected: 1, state: 'done' })
    const first = { run, table: 'public.mend_into', load: row!.id as number } as Loaded
    expect((await ask(first)).rows.map(({ values }) => values)).toEqual([['1', 'x']])
    expect(await bench.ended(await mend(first, [{ at: 0, values: ['1', '4'] }]))).toBe('done')
    expect(await rowsOf(first)).toEqual([{ id: 1, n: 4 }, { id: 2, n: 5 }]) // prettier-ignore
  })
})

describe('mending', () => {
  it('brings a row in once: pressed twice it is one run, of two people the second is told', async () => {
    const first = await load('meter,value\nM-1,x\n', 'meter text, value integer')
    const rows = [{ at: 0, values: ['M-1', '1'] }]
    const [one, two] = await Promise.all([mend(first, rows, { press: 'press-once' }), mend(first, rows, { press: 'press-once' })]) // prettier-ignore
    expect(two).toBe(one)
    await bench.ended(one)
    await expect(mend(first, rows, { by: 'ben' })).rejects.toThrow(`brought in by run ${one} of ada`)
    expect(await rowsOf(first)).toHaveLength(1)
  })

  it('refuses rows that are no rejects, and values that do not go with the columns', async () => {
    const first = await load('meter,value\nM-1,x\n', 'meter text, value integer')
    await expect(mend(first, [{ at: 7, values: ['a', '1'] }])).rejects.toThrow('no reject at place 8')
    await expect(mend(first, [{ at: 0, values: ['a'] }])).rejects.toThrow('1 values, and there are 2 columns')
    await expect(mend(first, [{ at: 0, values: ['a', '1'] }, { at: 0, values: ['a', '1'] }])).rejects.toThrow('comes twice') // prettier-ignore
    expect(await rowsOf(first)).toEqual([])
  })

  it('that failed is rerun with the same rows, and not with what the job reads', async () => {
    const first = await load('meter,value\nM-1,1\nM-2,x\n', 'meter text, value integer')
    await bench.rows(`alter table ${first.table} rename value to other`)
    const run = await mend(first, [{ at: 0, values: ['M-2', '2'] }])
    expect(await bench.ended(run)).toBe('failed')
    // its rows are to be mended still
    expect((await ask(first)).left).toBe(1)
    await bench.rows(`alter table ${first.table} rename other to value`)
    expect(await rerunOutlook(bench.engine, run, {})).toEqual({ loads: 1, steps: [{ step: 'bring-in', kind: 'transfer', kept: 0, again: 1, twice: 0 }] }) // prettier-ignore
    const again = await rerun(bench.engine, run, { by: 'ben' })
    expect(await bench.ended(again)).toBe('done')
    expect(await rowsOf(first)).toEqual([{ meter: 'M-1', value: 1 }, { meter: 'M-2', value: 2 }]) // prettier-ignore
    expect((await ask(first)).left).toBe(0)
    await expect(rerun(bench.engine, again, { by: 'ben' })).rejects.toThrow(/no load failed/)
  })

  it('of documents whose names have quotes, slashes and dots keeps every value', async () => {
    const first = await load('[{"a\\"b":"q","c/d.e~":"s","n":"x"}]', '"a""b" text, "c/d.e~" text, n integer', { file: '.json' }) // prettier-ignore
    expect((await ask(first)).rows.map(({ values }) => values)).toEqual([['q', 's', 'x']])
  })

  it('is not offered where the step did not take effect', async () => {
    const name = `mend-${++number}`
    bench.writeFile(`${name}.csv`, 'meter,value\nM-1,x\nM-2,1\n')
    await bench.rows(`create table public.mend_${number} (meter text, value integer)`)
    const run = await bench.load(
      fileJob(
        name,
        `${name}.csv`,
        `{connection: warehouse, table: public.mend_${number}, write: append}`,
        'rejects: fail',
      ),
    )
    const [row] = await bench.own('select id::int as id, state from mattock.load where run_id = $1', [run])
    expect(row!.state).toBe('failed')
    const first = { run, load: row!.id as number } as Loaded
    expect((await ask(first)).cannot).toMatch(/did not take effect/)
    await expect(mend(first, [{ at: 0, values: ['M-1', '1'] }])).rejects.toThrow(/did not take effect/)
  })

  it('a line that has too many fields shows those that are beyond its columns', async () => {
    const first = await load('meter,value\nM-1,1\nM-2,2,3,4\n', 'meter text, value integer')
    const { rows } = await ask(first)
    expect(rows.map(({ values, beyond }) => [values, beyond])).toEqual([
      [
        ['M-2', '2'],
        ['3', '4'],
      ],
    ])
    expect(await bench.ended(await mend(first, [{ at: 0, values: ['M-2', '2'] }]))).toBe('done')
    expect(await rowsOf(first)).toHaveLength(2)
  })
})
