import { readFileSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { asyncBufferFromFile, parquetReadObjects } from 'hyparquet'
import readSheet from 'read-excel-file/node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { testBench, type TestBench } from './support/bench'
import { moved as movedOn } from './support/moved'
import { packed, xlsx } from './support/files'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(3)
  await bench.rows(
    `create table source (id bigint primary key, name text, price numeric(9,2), day date, at timestamptz, ok boolean, note text)`,
  )
  await bench.rows(`insert into source select i, 'n"' || i || E',\\n', i * 1.25, date '2026-01-01' + i % 40, timestamptz '2026-03-29 00:30:00+00' + i * interval '1 hour', i % 2 = 0,
    case i % 3 when 0 then null when 1 then '' else 'x' end from generate_series(1, 500) i`)
})
afterAll(() => bench.close())

const moved = (from: string, into: string, more = '') => movedOn(bench, from, into, more)
const table = (name: string, write = 'append') =>
  `{connection: warehouse, table: public.${name}, write: ${write}}`
const there = (path: string): string => join(bench.drop, path)

describe('out of a database into files', () => {
  it('writes Parquet that another library reads, types and all', async () => {
    const load = await moved(
      '{connection: warehouse, table: public.source}',
      '{store: drop, file: out/source.parquet}',
    )
    expect(load).toMatchObject({ state: 'done', read: 500, written: 500 })
    const rows = await parquetReadObjects({ file: await asyncBufferFromFile(there('out/source.parquet')) })
    expect(rows).toHaveLength(500)
    expect(rows[1]).toMatchObject({ id: 2n, name: 'n"2,\n', price: 2.5, ok: true, note: 'x' })
    expect([rows[2]!.note, rows[0]!.note]).toEqual([null, ''])
    expect((rows[0]!.day as Date).toISOString()).toBe('2026-01-02T00:00:00.000Z')
    expect((rows[0]!.at as Date).toISOString()).toBe('2026-03-29T01:30:00.000Z')
    expect(readdirSync(there('out'))).toEqual(['source.parquet'])
  })
  it('writes a query’s rows, its expressions bound', async () => {
    const load = await moved(
      `{connection: warehouse, query: "select id, name, {row.text} as text from source where id > {row.low} and name <> {row.text};"}`,
      '{store: drop, file: out/query.csv}',
    )
    expect(load).toMatchObject({ state: 'done', read: 400, written: 400 })
    const text = readFileSync(there('out/query.csv'), 'utf8')
    expect(text.split('\n')[0]).toBe('id,name,text')
    expect(text).toContain(`101,"n""101,\n",it's`)
  })
  it('writes newline-delimited JSON, packed', async () => {
    await moved('{connection: warehouse, table: public.source}', '{store: drop, file: out/source.ndjson.gz}')
    const { gunzipSync } = await import('node:zlib')
    const lines = gunzipSync(readFileSync(there('out/source.ndjson.gz')))
      .toString()
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>)
    expect(lines).toHaveLength(500)
    expect(lines[1]).toMatchObject({ id: 2, name: 'n"2,\n', price: 2.5, day: '2026-01-03', ok: true })
  })
  it('writes a sheet that another library reads', async () => {
    const load = await moved(
      '{connection: warehouse, query: "select id, name, price, day, ok, note from source order by id"}',
      '{store: drop, file: out/source.xlsx}',
    )
    expect(load).toMatchObject({ state: 'done', written: 500 })
    const [sheet] = await readSheet(there('out/source.xlsx'), { trim: false })
    const rows = sheet!.data
    expect(rows[0]).toEqual(['id', 'name', 'price', 'day', 'ok', 'note'])
    expect(rows[2]!.slice(0, 3)).toEqual([2, 'n"2,\n', 2.5])
    expect(rows).toHaveLength(501)
  })
  it('splits into name=value folders, and replaces all of them the next time', async () => {
    const out = '{store: drop, file: lake/s, format: parquet, split: {by: [ok]}}'
    await moved('{connection: warehouse, table: public.source}', out)
    expect(readdirSync(there('lake/s')).sort()).toEqual(['ok=false', 'ok=true'])
    const rows = await parquetReadObjects({
      file: await asyncBufferFromFile(there(`lake/s/ok=true/${readdirSync(there('lake/s/ok=true'))[0]}`)),
    })
    expect(rows).toHaveLength(250)
    await moved('{connection: warehouse, query: "select id, ok from source where ok"}', out)
    expect(readdirSync(there('lake/s'))).toEqual(['ok=true'])
    expect(readdirSync(there('lake'))).toEqual(['s'])
    // and comes in again, the folder's name as a column
    const back = await moved(
      '{store: drop, files: "lake/s/ok=*/*.parquet"}',
      table('back_split', 'replace-all'),
    )
    expect(back).toMatchObject({ state: 'done', read: 250, written: 250 })
    expect(await bench.rows('select distinct ok from back_split')).toEqual([{ ok: true }])
  })
  it('splits into files of a size, all rows in them', async () => {
    const rows = `{connection: warehouse, query: "select i as id, md5(i::text) as code from generate_series(1, 200000) i"}`
    expect(
      await moved(rows, '{store: drop, file: lake/sized, format: csv, split: {bytes: 1000000}}'),
    ).toMatchObject({ state: 'done', read: 200_000, written: 200_000 })
    const files = readdirSync(there('lake/sized'))
    expect(files.length).toBeGreaterThan(2)
    const ids = files.flatMap((name) => readFileSync(there(`lake/sized/${name}`), 'utf8').trim().split('\n').slice(1).map((line) => Number(line.split(',')[0]))) // prettier-ignore
    expect(new Set(ids).size).toBe(200_000)
    expect(ids).toHaveLength(200_000)
  })
  it('leaves the old file as it was where the work fails', async () => {
    await moved('{connection: warehouse, query: "select 1 as a"}', '{store: drop, file: out/keep.csv}')
    const load = await moved(
      '{connection: warehouse, query: "select 1 / (id - 400) as a from source"}',
      '{store: drop, file: out/keep.csv}',
    )
    expect(load).toMatchObject({
      state: 'failed',
      message: expect.stringContaining('division by zero') as string,
    })
    expect(readFileSync(there('out/keep.csv'), 'utf8')).toBe('a\n1\n')
    expect(readdirSync(there('out')).filter((name) => name.startsWith('.'))).toEqual([])
  })
  it.each(['../out.csv', '/tmp/out.csv', 'a/../../out.csv'])(
    'does not start to write to %s',
    async (path) => {
      const load = moved('{connection: warehouse, query: "select 1 as a"}', `{store: drop, file: "${path}"}`)
      await expect(load).rejects.toThrow(/leaves the store|relative/)
    },
  )
  it('does not follow a link out of the store', async () => {
    const { symlinkSync, mkdirSync } = await import('node:fs')
    mkdirSync(join(bench.folder, 'elsewhere'), { recursive: true })
    symlinkSync(join(bench.folder, 'elsewhere'), there('link'))
    const load = await moved(
      '{connection: warehouse, query: "select 1 as a"}',
      '{store: drop, file: link/out.csv}',
    )
    expect(load.message).toMatch(/leads out of the store/)
    expect(readdirSync(join(bench.folder, 'elsewhere'))).toEqual([])
  })
})

describe('out of files of every kind into a table', () => {
  it('what Parquet holds comes back as it went', async () => {
    const load = await moved('{store: drop, files: out/source.parquet}', table('back', 'replace-all'))
    expect(load).toMatchObject({ state: 'done', read: 500, written: 500 })
    expect(
      await bench.rows(
        '(select * from source except select * from back) union all (select * from back except select * from source)',
      ),
    ).toEqual([])
  })
  it('reads JSON lists, documents and lists within', async () => {
    bench.writeFile(
      'in/list.json',
      JSON.stringify([
        { id: 1, a: 'x, ]' },
        { id: 2, a: '"{' },
        { id: 3, a: null },
      ]),
    )
    expect(await moved('{store: drop, files: in/list.json}', table('list'))).toMatchObject({
      read: 3,
      written: 3,
    })
    const orders = {
      total: 2,
      items: [
        {
          no: 7,
          site: { code: 'N' },
          parts: [
            { sku: 'a', n: 2 },
            { sku: 'b', n: 1 },
          ],
        },
        { no: 8, site: { code: 'S' }, parts: [] },
      ],
    }
    bench.writeFile('in/orders.json', JSON.stringify(orders, null, 1))
    expect(
      await moved('{store: drop, files: in/orders.json, records: items}', table('orders')),
    ).toMatchObject({ read: 2, written: 2 })
    expect(await bench.rows('select no, site_code from orders order by 1')).toEqual([
      { no: 7, site_code: 'N' },
      { no: 8, site_code: 'S' },
    ])
    expect(
      await moved('{store: drop, files: in/orders.json, records: items, inner: parts}', table('parts')),
    ).toMatchObject({ read: 2, written: 2 })
    expect(await bench.rows('select no, entry, sku, n from parts order by entry')).toEqual([
      { no: 7, entry: 1, sku: 'a', n: 2 },
      { no: 7, entry: 2, sku: 'b', n: 1 },
    ])
  })
  it('keeps points in time what they are: with a zone by it, without one by the job’s', async () => {
    const times = [
      '2026-03-29T00:30:00Z',
      '2026-03-29T00:30:00+05:30',
      '2026-03-29 12:00:00',
      '2026-01-10 12:00:00',
    ]
    bench.writeFile(
      'in/times.ndjson',
      times.map((at, i) => JSON.stringify({ i, at, day: at.slice(0, 10) })).join('\n'),
    )
    bench.writeFile(
      'in/times.csv',
      `i,at,day\n${times.map((at, i) => `${i},${at},${at.slice(0, 10)}`).join('\n')}\n`,
    )
    for (const ending of ['ndjson', 'csv']) {
      const run = await bench.load(
        `
mattock: job/1
name: times-${ending}
title: times
slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do:
      - id: move
        transfer: {from: {store: drop, files: in/times.${ending}}, into: {connection: warehouse, table: public.times_${ending}, write: append}}
`,
        { span: '2026-01-01' },
      )
      expect((await bench.own('select state from mattock.run where id = $1', [run]))[0]).toEqual({
        state: 'done',
      })
      expect(
        await bench.rows(
          `select to_char(at at time zone 'UTC', 'MM-DD HH24:MI') as at, day::text from times_${ending} order by i`,
        ),
      ).toEqual([
        { at: '03-29 00:30', day: '2026-03-29' },
        { at: '03-28 19:00', day: '2026-03-29' },
        { at: '03-29 10:00', day: '2026-03-29' },
        { at: '01-10 11:00', day: '2026-01-10' },
      ])
    }
  })
  it('reads many documents at once within a worker’s memory', async () => {
    const rows = Array.from({ length: 24 }, (_, i) => ({ n: i }))
    for (const { n } of rows)
      bench.writeFile(`in/many_${n}.json`, JSON.stringify({ items: [{ n, text: 'x'.repeat(300_000) }] }))
    const run = await bench.load(`
mattock: job/1
name: many-documents
title: many
parts:
  - each: {roster: {rows: ${JSON.stringify(rows)}}, at_once: 8}
    do:
      - id: move
        transfer: {from: {store: drop, files: "in/many_{row.n}.json"}, into: {connection: warehouse, table: public.many_documents, write: append}}
`)
    expect(
      await bench.own('select state, count(*)::int as n from mattock.load where run_id = $1 group by 1', [
        run,
      ]),
    ).toEqual([{ state: 'done', n: 24 }])
    expect(await bench.rows('select count(*)::int as n, sum(n)::int as sum from many_documents')).toEqual([
      { n: 24, sum: 276 },
    ])
  })
  it('reads newline-delimited JSON, packed too', async () => {
    bench.writeFile('in/l.ndjson.gz', packed('{"id":1}\n\n{"id":2,"x":"y"}\n'))
    expect(await moved('{store: drop, files: in/l.ndjson.gz}', table('lines'))).toMatchObject({
      read: 2,
      written: 2,
    })
  })
  it('reads the sheet that holds the data, a header below titles, dates as dates', async () => {
    bench.writeFile(
      'in/lab.xlsx',
      await xlsx({
        Cover: [['Report']],
        Data: [
          ['Laboratory north'],
          ['sample', 'taken', 'value'],
          ['S1', new Date(Date.UTC(2026, 10, 2)), 12.4],
          ['S2', new Date(Date.UTC(2026, 10, 3)), 0.5],
        ],
      }),
    )
    await bench.rows('create table lab (sample text primary key, taken date, value float8)')
    expect(await moved('{store: drop, files: in/lab.xlsx}', table('lab'))).toMatchObject({
      state: 'done',
      read: 2,
      written: 2,
    })
    expect(await bench.rows('select sample, taken::text, value from lab order by 1')).toEqual([
      { sample: 'S1', taken: '2026-11-02', value: 12.4 },
      { sample: 'S2', taken: '2026-11-03', value: 0.5 },
    ])
  })
  it('works out how each file is written, where it is told to', async () => {
    bench.writeFile('in/detect_1.csv', '# a logger\nprobe;value\nA;1,5\nB;2\n')
    bench.writeFile('in/detect_2.csv', Buffer.from('\uFEFFprobe\tvalue\nC\t3.5\n', 'utf16le'))
    await bench.rows('create table detected (probe text, value float8)')
    expect(
      await moved('{store: drop, files: "in/detect_*.csv", format: detect}', table('detected')),
    ).toMatchObject({ state: 'done', read: 3, written: 3 })
    expect(await bench.rows('select sum(value) from detected')).toEqual([{ sum: 7 }])
  })
  it('reads by what the job says: no header, names, comments, decimal comma, Latin-1', async () => {
    bench.writeFile('in/said.txt', Buffer.from('title line\n#c;"x\n1,5;M\xfchle\n2,25;T\xfcr\n', 'latin1'))
    await bench.rows('create table said (value float8, place text)')
    const load = await moved(
      `{store: drop, files: in/said.txt, delimiter: ';', header: false, names: [value, place], skip: 1, comment: '#', decimal: ',', encoding: latin-1}`,
      table('said'),
    )
    expect(load).toMatchObject({ state: 'done', read: 2, written: 2 })
    expect(await bench.rows('select sum(value), max(place) from said')).toEqual([{ sum: 3.75, max: 'Tür' }])
  })
  it('keeps rows of typed files that do not fit, each whole with its reason', async () => {
    bench.writeFile(
      'in/mixed.ndjson',
      '{"id":1,"n":"5"}\n{"id":2,"n":"<0.05"}\n{"id":3,"n":"7.5"}\n{"id":4,"n":null}\n',
    )
    await bench.rows('create table mixed (id int, n int)')
    const load = await moved('{store: drop, files: in/mixed.ndjson}', table('mixed'), 'rejects: keep')
    expect(load).toMatchObject({
      state: 'done',
      read: 4,
      written: 2,
      rejected: 2,
      reasons: { 'n: cannot be read as its type': 2 },
    })
    const file = readFileSync(
      join(
        bench.engine.dataFolder,
        'rejects',
        (
          await bench.own(
            'select reject_file from mattock.load_step where reject_file is not null order by load_id desc limit 1',
          )
        )[0]!.reject_file as string,
      ),
      'utf8',
    )
    expect(file).toContain('<0.05')
    expect(file).not.toContain(bench.drop)
  })
  it.each([
    [
      'half.csv.gz',
      packed('id,x\n' + Array.from({ length: 50_000 }, (_, i) => `${i},${Math.sin(i)}`).join('\n')).subarray(
        0,
        60_000,
      ),
      /gzip/,
    ],
    ['bad.parquet', Buffer.from('PAR1 not really'), /end is missing/],
    ['bad.json', '[{"id":1},{"id":', /JSON/i],
    ['bad.xlsx', 'a,b\n1,2', /not what its ending says/],
  ] as const)('%s gives a clear error and changes nothing', async (name, content, message) => {
    bench.writeFile(`broken/${name}`, typeof content === 'string' ? content : Buffer.from(content))
    await bench.rows(
      'drop table if exists untouched; create table untouched (id text, x text); insert into untouched values (1, 2)',
    )
    const load = await moved(
      `{store: drop, files: "broken/${name}"}`,
      `{connection: warehouse, table: public.untouched, write: replace-all, unknown_columns: ignore}`,
    )
    expect(load.state).toBe('failed')
    expect(load.message).toMatch(message)
    expect(await bench.rows('select * from untouched')).toHaveLength(1)
  })
  it('says which columns of the table the source lacks, where that matters', async () => {
    bench.writeFile('in/few.csv', 'id\n1\n')
    await bench.rows('create table few (id int, more text)')
    const load = await moved(
      '{store: drop, files: in/few.csv}',
      '{connection: warehouse, table: public.few, write: append, missing_columns: fail}',
    )
    expect(load.message).toBe('public.few has columns that the source lacks: more')
  })
})

describe('from files to files', () => {
  it('turns CSV into Parquet, columns mapped, trimmed and typed, broken rows kept apart', async () => {
    bench.writeFile('in/turn.csv', 'Id,Name,Worth\n1, a ,1.5\n2,b,x\n3,c,2.5\n')
    const load = await moved(
      '{store: drop, files: in/turn.csv}',
      '{store: drop, file: out/turn.parquet}',
      'columns: {key: Id}\ntypes: {worth: number, key: integer}\nshape: [{columns: {type: text}, apply: [trim]}]\nrejects: {up_to: 1}',
    )
    expect(load).toMatchObject({ state: 'done', read: 3, written: 2, rejected: 1 })
    expect(await parquetReadObjects({ file: await asyncBufferFromFile(there('out/turn.parquet')) })).toEqual([
      { name: 'a', worth: 1.5, key: 1n },
      { name: 'c', worth: 2.5, key: 3n },
    ])
  })
})

describe('what a step sets for its session', () => {
  it('does not go on to the next load that is given the connection', async () => {
    await bench.rows(
      `create schema if not exists hidden; create table if not exists hidden.here (n int); create table if not exists here (n int)`,
    )
    const steps = (name: string, text: string) => `mattock: job/1
name: ${name}
title: ${name}
parts:
  - once: [{id: a, sql: {on: warehouse, text: ${JSON.stringify(text)}}}]`
    await bench.load(
      steps(
        'setting',
        "set search_path to hidden; set statement_timeout = '1 min'; insert into here values (1)",
      ),
    )
    for (let i = 0; i < 4; i++) await bench.load(steps(`after-${i}`, 'insert into here values (2)'))
    expect(
      await bench.rows(
        'select (select count(*)::int from hidden.here) as hidden, (select count(*)::int from public.here) as plain',
      ),
    ).toEqual([{ hidden: 1, plain: 4 }])
  })
  it('nor does what a query at a source does there', async () => {
    await bench.rows(`create table if not exists marks (what text);
      create or replace function mark(what text) returns int language sql as $$ insert into marks values (what) returning 1 $$`)
    const load = await moved(
      `{connection: warehouse, query: "select mark({row.text}) as n"}`,
      table('marked', 'replace-all'),
    )
    expect(load).toMatchObject({ state: 'done', written: 1 })
    expect(await bench.rows('select * from marks')).toEqual([])
  })
})
