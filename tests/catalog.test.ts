import { symlinkSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { browse, firstRows } from '../engine/catalog/browse'
import { editDataset, takeTableSchema } from '../engine/catalog/edit'
import { catalogFacets, listDatasets, type CatalogAsk } from '../engine/catalog/list'
import { makeOneJob } from '../engine/catalog/oneJob'
import { datasetPage } from '../engine/catalog/page'
import { readControl } from '../engine/control/rows'
import { mappingSheet } from '../engine/catalog/mapping'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { xlsx } from './support/files'
import { takeIn } from './support/surveyed'

let bench: TestBench
const found = async (search: string, more: Partial<CatalogAsk> = {}) =>
  (await listDatasets(bench.engine, { environment: 'dev', search, days: 7, offset: 0, limit: 100, ...more }))
    .datasets
const idOf = async (name: string) => (await found(name)).find((entry) => entry.name === name)!.id

beforeAll(async () => {
  bench = await testBench()
  await bench.worker(3)
  bench.writeFile('in/flow_a_1.csv', 'meter,read_at,lps\nA1,2026-11-01,1.5\nA2,2026-11-01,2\n')
  bench.writeFile('in/flow_b_1.csv', 'meter,read_at,lps\nB1,2026-11-01,7\n')
  bench.writeFile('in/bare.csv', '1;x\n2;y\n')
  bench.writeFile(
    'in/lab.xlsx',
    await xlsx({
      Data: [
        ['sample', 'value'],
        ['S1', 12.4],
        ['S2', 0.5],
      ],
    }),
  )
  await bench.rows(
    `create table public.pump (id bigint primary key, kw numeric(7,2), "odd ""name""" text); insert into pump values (1, 2.5, 'a'), (2, 3, 'b')`,
  )
  for (const connection of ['drop', 'warehouse']) await takeIn(bench, connection)
})
afterAll(() => bench.close())

describe('the catalog', () => {
  it('is searched by name, column, tag and owner, all words together', async () => {
    const names = async (search: string) => (await found(search)).map(({ name }) => name)
    expect(await names('')).toEqual(['drop.in.bare', 'drop.in.flow', 'drop.in.lab', 'warehouse.public.pump'])
    expect(await names('LPS')).toEqual(['drop.in.flow'])
    expect(await names('odd "name"')).toEqual(['warehouse.public.pump'])
    expect(await names('flow nothing')).toEqual([])
    expect(await names('100%_\\')).toEqual([])
    await editDataset(bench.engine, await idOf('drop.in.flow'), {
      owner: 'Network control',
      tags: ['gauges', 'gauges'],
    })
    expect(await names('network gauges')).toEqual(['drop.in.flow'])
    expect((await catalogFacets(bench.engine, 'dev')).tags).toEqual([{ name: 'gauges', count: 1 }])
  })
  it('is filtered by what is to be done', async () => {
    const names = async (more: Partial<CatalogAsk>) => (await found('', more)).map(({ name }) => name)
    expect(await names({ flag: 'unnamed' })).toEqual(['drop.in.bare'])
    expect(await names({ flag: 'drifted' })).toEqual([])
    expect(await names({ flag: 'no-key', connection: 'warehouse' })).toEqual([])
    expect(await names({ flag: 'idle', connection: 'warehouse' })).toEqual(['warehouse.public.pump'])
    await bench.own(`insert into mattock.touch (environment, connection, locator, direction, job, run_id, load_id, step, rows, at)
      values ('dev', 'warehouse', 'public.pump', 'read', 'j', 1, 1, 's', 2, now()), ('dev', 'drop', 'in/flow_a_1.csv', 'read', 'j', 1, 2, 's', 2, now() - interval '9 days')`)
    expect(await names({ flag: 'idle', connection: 'warehouse' })).toEqual([])
    expect(await names({ flag: 'idle', connection: 'drop', days: 10 })).toEqual([
      'drop.in.bare',
      'drop.in.lab',
    ])
    const page = await datasetPage(bench.engine, await idOf('drop.in.flow'))
    expect(page.uses).toMatchObject([{ job: 'j', direction: 'read', rows: 2 }])
    expect(page.days.days).toHaveLength(1)
  })
  it('takes names by hand, and refuses two of the same', async () => {
    const id = await idOf('drop.in.bare')
    await expect(
      editDataset(bench.engine, id, { edits: { column_1: { name: 'column_2' } } }),
    ).rejects.toThrow(/two columns are called "column_2"/)
    await expect(editDataset(bench.engine, id, { key: ['nothing'] })).rejects.toThrow(/no column "nothing"/)
    const left = await takeTableSchema(bench.engine, id, {
      fields: [
        { name: 'meter', type: 'string' },
        { name: 'state', type: 'geopoint' },
      ],
      primaryKey: 'meter',
    })
    expect(left).toEqual(['state: type "geopoint" has no like here, the type stays text'])
    const page = await datasetPage(bench.engine, id)
    expect(page.columns.map(({ name, type }) => `${name} ${type}`)).toEqual(['meter text', 'state text'])
    expect(page).toMatchObject({ key: ['meter'], unnamed: 0 })
    expect(await found('meter', { connection: 'drop', flag: 'unnamed' })).toEqual([])
  })
})

describe('one job for datasets that were picked', () => {
  it('makes a control table and a job that loads each into a table of its own', async () => {
    const ids = (await found('')).map(({ id }) => id)
    const ask = {
      job: 'bring',
      title: 'Bring',
      control: 'bring_control',
      connection: 'warehouse',
      schema: 'copied',
      write: 'replace-all' as const,
      atOnce: 2,
      trim: true,
    }
    const made = await makeOneJob(bench.engine, ids, ask, 'test')
    expect(made.left).toEqual([])
    expect((await readControl(bench.engine, 'bring_control', 'dev')).rows).toHaveLength(4)
    expect(
      await bench.own(`select count(*) as n from mattock.control_change where "table" = 'bring_control'`),
    ).toEqual([{ n: 4 }])
    const { id, plan } = await makePlan(bench.engine, {
      job: 'bring',
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    expect(plan.findings.filter(({ level }) => level === 'stop')).toEqual([])
    expect(plan.loads).toHaveLength(4)
    expect(await bench.ended(await startRun(bench.engine, { plan: id, by: 'test' }))).toBe('done')
    expect(await bench.rows('select meter, lps from copied.flow order by 1')).toEqual([
      { meter: 'A1', lps: '1.5' },
      { meter: 'A2', lps: '2' },
      { meter: 'B1', lps: '7' },
    ])
    expect(await bench.rows('select * from copied.lab order by 1')).toEqual([
      { sample: 'S1', value: '12.4' },
      { sample: 'S2', value: '0.5' },
    ])
    expect(await bench.rows('select count(*)::int as n from copied.pump')).toEqual([{ n: 2 }])
    expect(await bench.rows('select * from copied.bare order by 1')).toEqual([
      { meter: '1', state: 'x' },
      { meter: '2', state: 'y' },
    ])
    await expect(makeOneJob(bench.engine, ids, ask, 'test')).rejects.toThrow(/already/)
    await expect(makeOneJob(bench.engine, ids, { ...ask, job: 'other' }, 'test')).rejects.toThrow(
      /control table "bring_control" already/,
    )
  })
})

describe('what lies in a connection', () => {
  it('is listed, folders first, and shows its first rows', async () => {
    bench.writeFile('.hidden', 'x')
    expect(
      (await browse(bench.engine, 'drop', 'dev', '')).map(({ kind, name }) => `${kind} ${name}`),
    ).toEqual(['folder in'])
    expect((await browse(bench.engine, 'drop', 'dev', 'in')).map(({ name }) => name)).toEqual([
      'bare.csv',
      'flow_a_1.csv',
      'flow_b_1.csv',
      'lab.xlsx',
    ])
    expect((await browse(bench.engine, 'warehouse', 'dev', 'public')).map(({ path }) => path)).toContain(
      'public.pump',
    )
    expect(await firstRows(bench.engine, 'drop', 'dev', 'in/bare.csv')).toMatchObject({
      rows: [
        ['1', 'x'],
        ['2', 'y'],
      ],
      note: 'CSV, parted by semicolons, no header',
    })
    expect((await firstRows(bench.engine, 'drop', 'dev', 'in/lab.xlsx')).note).toBe(
      'XLSX, sheet Data, 2 rows',
    )
    const pump = await firstRows(bench.engine, 'warehouse', 'dev', 'public.pump')
    expect(pump.columns.map(({ name }) => name)).toEqual(['id', 'kw', 'odd "name"'])
    expect(pump.rows[0]).toEqual(['1', '2.50', 'a'])
  })
  it.each(['..', '../..', '/etc', 'in/../../x', 'in/\0', 'C:\\x', 'out', 'out/passwd'])(
    'never leaves its store: %j',
    async (path) => {
      try {
        symlinkSync('/etc', join(bench.drop, 'out'))
      } catch {
        // there from an earlier case
      }
      await expect(browse(bench.engine, 'drop', 'dev', path)).rejects.toThrow()
      await expect(firstRows(bench.engine, 'drop', 'dev', path)).rejects.toThrow()
    },
  )
})

describe('the mapping of columns', () => {
  const text = (from: string, into: string, more = '') => `
mattock: job/1
name: map
title: Map
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do:
      - id: move
        transfer: {from: ${from}, into: ${into}${more}}
`
  const sheet = (document: string) =>
    mappingSheet(bench.engine, {
      text: document,
      environment: 'dev',
      part: 0,
      step: 'move',
      search: '',
      parameters: {},
    })
  it('shows what meets, with values and those that would not fit', async () => {
    await bench.rows('create table mapped (meter text, "readAt" timestamptz, lps int, more text)')
    const { columns, unused, exists, looked } = await sheet(
      text(
        '{store: drop, files: in/flow_a_1.csv}',
        '{connection: warehouse, table: public.mapped, write: append}',
      ),
    )
    expect({ exists, looked, unused }).toEqual({ exists: true, looked: 2, unused: [] })
    expect(columns).toMatchObject([
      { target: 'meter', source: 'meter', why: 'same', samples: ['A1', 'A2'], fails: 0 },
      { target: 'readAt', source: 'read_at', why: 'like', likeness: 1, fails: 0 },
      { target: 'lps', source: 'lps', type: 'integer', fails: 1, failing: '1.5' },
      { target: 'more', source: null, why: 'none' },
    ])
  })
  it('judges values as a load would read them', async () => {
    bench.writeFile('odd/signs.csv', 'id;amount;day\n007;1.234,50;24.11.2026\n8;2.000.000,00;25.11.2026\nx;12,5;31.02.2026\n') // prettier-ignore
    await bench.rows('create table signs (id int, amount numeric, day date)')
    const into = '{connection: warehouse, table: public.signs, write: append}'
    const fails = async (from: string) =>
      (await sheet(text(from, into))).columns.map(({ target, fails: count, failing }) => [target, count, failing]) // prettier-ignore
    expect(await fails('{store: drop, files: odd/signs.csv, format: detect}')).toEqual([
      ['id', 1, 'x'],
      ['amount', 0, null],
      ['day', 1, '31.02.2026'],
    ])
    expect(
      await fails('{store: drop, files: odd/signs.csv, delimiter: ";", decimal: ",", dates: [dd.MM.yyyy]}'),
    ).toEqual([
      ['id', 1, 'x'],
      ['amount', 2, '1.234,50'],
      ['day', 1, '31.02.2026'],
    ])
  })
  it('follows what the job says, for queries and targets that are not there yet', async () => {
    const { columns, exists, from } = await sheet(
      text(
        '{connection: warehouse, query: "select id, kw as power from pump where id > {row.n}"}',
        '{connection: warehouse, table: public.nowhere, write: append}',
        ', columns: {strength: power}',
      ),
    )
    expect({ exists, from }).toEqual({ exists: false, from: 'the query' })
    expect(columns).toMatchObject([
      { target: 'id', source: 'id', samples: ['2'] },
      { target: 'strength', source: 'power', why: 'given' },
    ])
  })
  it('says what stands in its way', async () => {
    await expect(
      sheet(
        text(
          '{store: drop, files: none.csv}',
          '{connection: warehouse, table: public.mapped, write: append}',
        ),
      ),
    ).rejects.toThrow(/no file matches none.csv/)
  })
})
