import { createServer } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { sql } from 'drizzle-orm'
import { parseJob } from '../core/job/parse'
import type { Job } from '../core/job/document'
import {
  adoptControl,
  addControlColumn,
  changeControl,
  createControl,
  forgetControl,
} from '../engine/control/tables'
import { controlAsOf, controlHistory, readControl, saveControl } from '../engine/control/rows'
import { effectOfEdits, effectOfText } from '../engine/planning/effect'
import { saveJob } from '../engine/jobs/versions'
import { makePlan, planRequest } from '../engine/planning/plan'
import { compareStored, forecastStored } from '../engine/planning/views'
import { eachLoad, readComparable, readLoads, readPlan } from '../engine/planning/stored'
import { previewRoster } from '../engine/planning/previewRoster'
import { gatherRosters } from '../engine/planning/gather'
import { tablesOf } from '../engine/steps/tablesOf'
import { expand } from '../core/plan/expand/expand'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.warehouse.query(`create schema src; create schema raw;
    create table src.feeds (id int primary key, name text, day date, price numeric(10, 2), at timestamptz, big bigint);
    insert into src.feeds values (1, 'flow', '2026-11-01', 1.50, '2026-11-01T05:00Z', 9007199254740993), (2, 'level', null, null, null, 2)`)
  for (const path of [
    'flow_thornby_20261101.csv',
    'flow_sallow_20261102.csv',
    'flow_sallow_20261399.csv',
    'readme.txt',
    'old/flow_corrie_20251231.csv',
  ])
    bench.writeFile(path, 'id,v\n1,2\n')
  bench.writeFile('list.csv', 'code;amount;on\n007;1,5;true\n010;2,25;false\n')
  await createControl(bench.engine, {
    name: 'feeds',
    title: 'Feeds',
    table: {
      columns: [{ name: 'feed', type: 'text' }, { name: 'kind', type: 'text' }, { name: 'active', type: 'boolean' }],
      key: ['feed'],
      rows: [{ feed: 'a', kind: 'flow', active: true }, { feed: 'b', kind: 'level', active: true }],
    },
    rules: {},
    by: 'Ada',
  }) // prettier-ignore
  await saveJob(bench.engine, document('{control: feeds, where: row.active}'), { by: 'Ada' })
})
afterAll(() => bench.close())

const document = (roster: string, table = 'raw.{row.kind}', name = 'feeding') => `
mattock: job/1
name: ${name}
title: Feeding
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: ${roster}}
    do:
      - id: bring
        transfer:
          from: {store: drop, files: "{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: warehouse, table: "${table}", write: upsert, key: [id]}
`
const plan = (ask: { span?: string; controlAt?: string; version?: number } = {}) =>
  makePlan(bench.engine, {
    job: 'feeding',
    environment: 'dev',
    parameters: {},
    by: 'Ada',
    span: '2026-11-01/2026-11-03',
    ...ask,
  })

/** The rows of a roster, as a part would loop over them. */
async function rows(roster: string) {
  const { job, faults } = parseJob(
    document(roster).replace(/bring\n[\s\S]*/, 'bring\n        sql: {on: warehouse, text: select 1}\n'),
  )
  if (!job) throw new Error(JSON.stringify(faults))
  const request = await planRequest(bench.engine, job as Job, { environment: 'dev', parameters: {} })
  const expansion = expand(request, await gatherRosters(bench.engine, request))
  return { ...expansion.parts[0]!.roster!, findings: expansion.findings }
}

describe('rosters, read from real sources', () => {
  it('the result of a query, typed as the database types it, values bound, and nothing written', async () => {
    const found = await rows(
      `{query: {on: warehouse, text: 'select * from src.feeds where name <> {"x'' or 1=1"} order by id;'}}`,
    )
    expect(found.columns.map(({ type }) => type)).toEqual([
      'integer',
      'text',
      'date',
      'decimal',
      'timestamp',
      'integer',
    ])
    expect(found.rows[0]).toEqual({
      key: '1',
      row: {
        id: 1,
        name: 'flow',
        day: '2026-11-01',
        price: 1.5,
        at: '2026-11-01T05:00:00.000Z',
        big: '9007199254740993',
      },
    })
    const writing = await rows(
      '{query: {on: warehouse, text: "insert into src.feeds values (3) returning id"}}',
    )
    expect(writing.findings[0]).toMatchObject({ code: 'roster', level: 'stop' })
    const setReturning = await rows('{query: {on: warehouse, text: "select * from generate_series(1, 3) n"}}')
    expect(setReturning.rows.map(({ key }) => key)).toEqual(['1', '2', '3'])
  })
  it('rows in a file of another dialect, typed by their values; codes stay text', async () => {
    const found = await rows("{file: {store: drop, path: list.csv, delimiter: ';', decimal: ','}}")
    expect(found.rows.map(({ row }) => row)).toEqual([
      { code: '007', amount: 1.5, on: true },
      { code: '010', amount: 2.25, on: false },
    ])
  })
  it('files by a pattern with named parts: what does not fit stays out, subfolders only where asked for', async () => {
    const flat = await rows(
      '{files: {store: drop, named: "{kind}_{district}_{date:yyyyMMdd}.csv"}, key: [district, date]}',
    )
    expect(flat.rows.map(({ key }) => key)).toEqual(['sallow · 2026-11-02', 'thornby · 2026-11-01'])
    const deep = await rows(
      '{files: {store: drop, named: "{kind}_{district}_{date:yyyyMMdd}.csv", subfolders: true}, sort: [date]}',
    )
    expect(deep.rows.map(({ row }) => `${row.folder}:${row.district}`)).toEqual([
      'old:corrie',
      ':thornby',
      ':sallow',
    ])
    expect(deep.rows[0]!.row).toMatchObject({
      kind: 'flow',
      date: '2025-12-31',
      size: 9,
      path: 'old/flow_corrie_20251231.csv',
    })
  })
  it('datasets of the catalog by name, and each row’s own files', async () => {
    await bench.engine.db
      .execute(sql`insert into mattock.dataset (environment, connection, name, locator, kind, start, columns, search, key_found, unnamed, surveyed_at)
      values ('dev', 'warehouse', 'warehouse.src.feeds', 'src.feeds', 'table', 'src.feeds', '[]', 'feeds', '{}', 0, now()), ('live', 'warehouse', 'warehouse.src.other', 'src.other', 'table', 'src.other', '[]', 'other', '{}', 0, now())`)
    const found = await rows('{datasets: {named: "*.src.*"}}')
    expect(found.rows.map(({ row }) => [row.schema, row.table])).toEqual([['src', 'feeds']])
    const nested = await rows(
      '{rows: [{kind: flow}, {kind: none}], inner: {files: {store: drop, named: "{row.kind}_{district}_{date:yyyyMMdd}.csv"}, key: [district]}}',
    )
    expect(nested.rows.map(({ key }) => key)).toEqual(['flow · sallow', 'flow · thornby'])
  })
  it.each([
    ['a control table that is not there', '{control: feds}', 'unknown-name', 'did you mean "feeds"?'],
    [
      'a connection that is not there',
      '{query: {on: warehose, text: select 1}}',
      'connection',
      'no connection "warehose"',
    ],
    [
      'SQL that is wrong',
      '{query: {on: warehouse, text: "select * from nowhere"}}',
      'roster',
      'does not exist',
    ],
    ['a file that is not there', '{file: {store: drop, path: nope.csv}}', 'roster', 'no file matches'],
    [
      'a path out of the store',
      '{file: {store: drop, path: "../x.csv"}}',
      'outside-store',
      'leaves the store',
    ],
  ])(
    'says what is wrong with %s, and the plan goes on to say the rest',
    async (_what, roster, code, words) => {
      const { findings } = await rows(roster)
      const finding = findings.find((one) => one.code === code)
      expect(finding).toMatchObject({ level: 'stop', where: { part: 0, path: 'parts.0.each.roster' } })
      expect(finding!.message).toContain(words)
    },
  )
  it('a page of its rows, found by a word', async () => {
    const ask = {
      text: document('{control: feeds}'),
      environment: 'dev',
      part: 0,
      parameters: {},
      offset: 0,
      limit: 10,
    }
    expect(await previewRoster(bench.engine, { ...ask, search: '' })).toMatchObject({
      before: 2,
      total: 2,
      found: 2,
      key: ['feed'],
    })
    expect((await previewRoster(bench.engine, { ...ask, search: 'LEV' })).rows.map(({ key }) => key)).toEqual(
      ['b'],
    )
  })
  it('does not wait for a database that does not answer for longer than the connection allows', async () => {
    // a port that nobody listens at
    const server = createServer()
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const { port } = server.address() as { port: number }
    await new Promise((resolve) => server.close(resolve))
    await bench.own(`insert into mattock.connection (name, kind, title) values ('gone', 'postgres', 'Gone')`)
    await bench.own(
      `insert into mattock.connection_setting (connection, environment, settings, updated_by) values ('gone', 'dev', $1, 'x')`,
      [JSON.stringify({ host: '127.0.0.1', port, database: 'x', user: 'x' })],
    )
    const { findings } = await rows('{query: {on: gone, text: select 1}}')
    expect(findings[0]).toMatchObject({ code: 'roster', level: 'stop' })
    expect(findings[0]!.message).toMatch(/ECONNREFUSED/)
  })
})

describe('plans, kept and held against each other', () => {
  it('come back as they were made: every load with all it resolves to', async () => {
    const { id, plan: made } = await plan()
    const stored = await readPlan(bench.engine, id)
    const back = await readComparable(bench.engine, stored)
    expect(back.loads).toEqual(
      made.loads.map(({ part, key, row, slice, resolved }) => ({ part, key, row, slice, resolved })),
    )
    const loads = await readLoads(bench.engine, stored)
    expect(loads.map(({ key }) => key)).toEqual([
      'a · 2026-11-01',
      'b · 2026-11-01',
      'a · 2026-11-02',
      'b · 2026-11-02',
    ])
    expect(loads[3]).toMatchObject({
      row: { feed: 'b', kind: 'level' },
      slice: { from: '2026-11-02T00:00:00.000Z' },
      codes: ['no-file'],
    })
    const each = []
    for await (const load of eachLoad(bench.engine, stored, sql`r.key = 'b'`)) each.push(load.number)
    expect(each).toEqual([1, 3])
    const self = await compareStored(bench.engine, {
      before: id,
      after: id,
      kind: 'changed',
      offset: 0,
      limit: 9,
    })
    expect(self).toMatchObject({ added: 0, gone: 0, changed: 0, same: 4 })
  })
  it('tell what another version of the job, or of the control table, changes', async () => {
    const { id: before } = await plan()
    const since = new Date().toISOString()
    const { versions } = await readControl(bench.engine, 'feeds', 'dev')
    await saveControl(bench.engine, 'feeds', 'dev', [
      { kind: 'change', key: { feed: 'a' }, version: versions[0]!, set: { kind: 'press' } },
      { kind: 'add', set: { feed: 'c', kind: 'flow', active: true } },
      { kind: 'remove', key: { feed: 'b' }, version: versions[1]! },
    ], 'Ben') // prettier-ignore
    const { id: after } = await plan()
    const compared = (kind: 'added' | 'gone' | 'changed', limit = 9) =>
      compareStored(bench.engine, { before, after, kind, offset: 0, limit })
    expect((await compared('changed')).changes[0]).toMatchObject({
      key: 'a · 2026-11-01',
      texts: [{ label: 'target', before: 'raw.flow', after: 'raw.press' }],
    })
    expect((await compared('added')).changes.map(({ key }) => key)).toEqual([
      'c · 2026-11-01',
      'c · 2026-11-02',
    ])
    expect((await compared('gone', 1)).changes.map(({ key }) => key)).toEqual(['b · 2026-11-01'])
    // the rows as they were give the first plan again
    expect((await controlAsOf(bench.engine, 'feeds', 'dev', since)).rows).toHaveLength(2)
    const { id: old } = await plan({ controlAt: since })
    expect(
      await compareStored(bench.engine, { before, after: old, kind: 'changed', offset: 0, limit: 9 }),
    ).toMatchObject({ added: 0, gone: 0, changed: 0 })
    await saveJob(bench.engine, document('{control: feeds, where: row.active}', 'raw.all_{row.kind}'), {
      by: 'Ben',
    })
    const { id: newer } = await plan()
    const { id: first } = await plan({ version: 1 })
    expect(
      await compareStored(bench.engine, {
        before: first,
        after: newer,
        kind: 'changed',
        offset: 0,
        limit: 1,
      }),
    ).toMatchObject({ changed: 4, texts: [{ count: 4, after: 'raw.all_press' }] })
    expect(
      (await controlHistory(bench.engine, 'feeds', { row: 'a', column: 'kind' })).map(({ by }) => by),
    ).toEqual(['Ben', 'Ada'])
    expect(await controlHistory(bench.engine, 'feeds', { row: 'a', column: 'active' })).toHaveLength(1)
  })
  it('are forecast from what ran, and with other caps', async () => {
    const { id } = await plan()
    expect((await forecastStored(bench.engine, id, [])).asIs).toBeNull()
    bench.writeFile('a_20261101.csv', 'id\n1\n')
    await bench.worker()
    await bench.warehouse.query('create table raw.all_press (id int primary key)')
    await bench.load(document('{control: feeds, where: row.active}', 'raw.all_{row.kind}'), {
      span: '2026-11-01',
      only: "row.feed == 'a'",
    })
    const sheet = await forecastStored(bench.engine, id, [
      { atOnce: 1 },
      { connections: { warehouse: 1 } },
      { workers: 1 },
    ])
    expect(sheet.asIs!.seconds).toBeGreaterThan(0)
    expect(sheet.caps).toMatchObject({ workers: 4, connections: { warehouse: 8, drop: null } })
    // one at a time, whatever the reason, takes the sum of all
    const [first, ...others] = sheet.others.map((one) => one!.seconds)
    for (const other of others) expect(other).toBeCloseTo(first!, 6)
    expect(first).toBeGreaterThan(sheet.asIs!.seconds)
    expect(sheet.others[1]!.limits[0]).toMatchObject({ kind: 'connection', name: 'warehouse' })
  })
})

describe('what a change does, before it is saved', () => {
  it('is told for every job that reads the control table, and nothing is changed', async () => {
    const before = await readControl(bench.engine, 'feeds', 'dev')
    const [a] = before.versions
    const effects = await effectOfEdits(bench.engine, 'feeds', 'dev', [
      { kind: 'change', key: { feed: 'a' }, version: a!, set: { kind: '' } },
      { kind: 'add', set: { feed: 'z', kind: 'flow', active: true } },
    ])
    expect(effects).toHaveLength(1)
    expect(effects[0]).toMatchObject({ job: 'feeding', effect: { added: 1, gone: 0 } })
    expect(effects[0]!.effect!.come.map(({ code, level }) => `${code} ${level}`)).toEqual([
      'empty-value stop',
    ])
    expect(await readControl(bench.engine, 'feeds', 'dev')).toEqual(before)
  })
  it('is told for a text, and why where it cannot be', async () => {
    const text = document('{control: feeds, where: row.active}', '{row.kind}')
    const { effect } = await effectOfText(bench.engine, {
      job: 'feeding',
      text,
      environment: 'dev',
      parameters: {},
    })
    expect(effect).toMatchObject({ added: 0 })
    await expect(
      effectOfText(bench.engine, {
        job: 'feeding',
        text: 'mattock: job/1',
        environment: 'dev',
        parameters: {},
      }),
    ).rejects.toThrow(/missing/)
  })
})

describe('control tables, made and adopted', () => {
  it('adopts a table where it stands, and edits it there', async () => {
    const given = {
      name: 'adopted',
      title: 'Adopted',
      connection: 'warehouse',
      schema: 'src',
      table: 'feeds',
      environment: 'dev',
    }
    await adoptControl(bench.engine, given)
    const { rows: found, versions, key } = await readControl(bench.engine, 'adopted', 'dev')
    expect([found.length, key]).toEqual([2, ['id']])
    await saveControl(
      bench.engine,
      'adopted',
      'dev',
      [{ kind: 'change', key: { id: 2 }, version: versions[1]!, set: { name: "o'brien" } }],
      'Ada',
    )
    expect(await bench.rows('select name from src.feeds where id = 2')).toEqual([{ name: "o'brien" }])
    await expect(adoptControl(bench.engine, given)).rejects.toThrow(/already/)
    await expect(adoptControl(bench.engine, { ...given, name: 'n', table: 'nope' })).rejects.toThrow(
      /not there/,
    )
    await bench.warehouse.query('create table src.keyless (a int)')
    await expect(adoptControl(bench.engine, { ...given, name: 'n', table: 'keyless' })).rejects.toThrow(
      /no primary key/,
    )
    await forgetControl(bench.engine, 'adopted', [])
    expect(await bench.rows('select count(*)::int as n from src.feeds')).toEqual([{ n: 2 }])
  })
  it('keeps rules: unique values, names of datasets, and what must hold over a row', async () => {
    await addControlColumn(bench.engine, 'feeds', 'dev', { name: 'dataset', type: 'text' })
    await changeControl(bench.engine, 'feeds', 'dev', {
      title: 'Feeds',
      rules: {
        kind: { unique: true },
        dataset: { names: 'dataset' },
        active: { holds: "row.active || row.kind == 'flow'" },
      },
    })
    const { versions, rows: now } = await readControl(bench.engine, 'feeds', 'dev')
    const save = (set: Record<string, string | boolean>) =>
      saveControl(
        bench.engine,
        'feeds',
        'dev',
        [{ kind: 'change', key: { feed: now[0]!.feed! }, version: versions[0]!, set }],
        'Ada',
      )
    await expect(save({ kind: String(now[1]!.kind) })).rejects.toThrow(/unique, and "flow" stands in 2 rows/)
    await expect(save({ dataset: 'nope' })).rejects.toThrow(/no dataset "nope"/)
    await expect(save({ active: false })).rejects.toThrow(/does not hold/)
    expect((await save({ dataset: 'warehouse.src.feeds' })).saved).toBe(1)
    await expect(
      changeControl(bench.engine, 'feeds', 'dev', { title: 'x', rules: { nope: {} } }),
    ).rejects.toThrow(/no column "nope"/)
    await expect(
      addControlColumn(bench.engine, 'feeds', 'dev', { name: 'kind', type: 'text' }),
    ).rejects.toThrow(/already/)
    await expect(forgetControl(bench.engine, 'feeds', ['feeding'])).rejects.toThrow(/loops over/)
  })
})

/** The parser is that of Postgres itself; what it reads is said by the statements' own grammar. */
describe('what statements do to tables', () => {
  it.each([
    ['truncate raw.a, b', [], [], ['raw.a', 'public.b']],
    ['delete from raw.a', [], [], ['raw.a']],
    ['delete from raw.a where id in (select id from raw.b)', ['raw.b'], ['raw.a'], []],
    ['drop table if exists raw.a', [], [], ['raw.a']],
    ['insert into a select * from b join c.d using (id)', ['public.b', 'c.d'], ['public.a'], []],
    ['with x as (select * from b) insert into a select * from x', ['public.b'], ['public.a'], []],
    [
      'with gone as (delete from a returning *) insert into old.a select * from gone',
      [],
      ['old.a'],
      ['public.a'],
    ],
    ['update a set v = $1 from b where a.id = b.id', ['public.b'], ['public.a'], []],
    ['merge into a using b on a.id = b.id when matched then delete', ['public.b'], ['public.a'], []],
    ['create table if not exists raw.a (id int)', [], ['raw.a'], []],
    ['create view a as select * from b', ['public.b'], ['public.a'], []],
    ['create table a as select * from b', ['public.b'], ['public.a'], []],
    ['select 1; truncate "Odd".""""', [], [], ['Odd."']],
  ])('%s', async (statement, reads, writes, empties) => {
    const found = await tablesOf(statement)
    expect({ reads: found!.reads, writes: found!.writes, empties: found!.empties }).toEqual({
      reads,
      writes,
      empties,
    })
  })
  it('says nothing of what it cannot read', async () => expect(await tablesOf('selec 1')).toBeUndefined())
})
