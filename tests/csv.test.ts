import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { fileJob, testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
})
afterAll(() => bench.close())

let number = 0
/** Loads a text as a CSV file into a new table of the given columns; gives the load, its rows, and its rejects. */
async function load(text: string | Buffer, columns: string, more = '', order = '1') {
  const name = `csv-${++number}`
  const table = `public.csv_${number}`
  bench.writeFile(`${name}.csv`, text)
  await bench.rows(`create table ${table} (${columns})`)
  const run = await bench.load(
    fileJob(name, `${name}.csv`, `{connection: warehouse, table: ${table}, write: append}`, more),
  )
  const [outcome] = await bench.own(
    'select state, read, written, rejected, error, read = written + unchanged + rejected + filtered + merged as balanced from mattock.load where run_id = $1',
    [run],
  )
  const [step] = await bench.own(
    'select s.* from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
    [run],
  )
  return {
    outcome: outcome!,
    step: step!,
    rows: await bench.rows(`select * from ${table} order by ${order}`),
  }
}

const texts = 'a text, b text, c text'

/** RFC 4180, section 2, "Definition of the CSV Format", each of its seven rules as a case. */
describe('RFC 4180 on the road to a table', () => {
  it('1: each record on a line of its own, ended by CRLF', async () => {
    expect((await load('a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n', texts)).rows).toEqual([
      { a: 'aaa', b: 'bbb', c: 'ccc' },
      { a: 'zzz', b: 'yyy', c: 'xxx' },
    ])
  })
  it('2: the last record may have no line break', async () => {
    const { rows, outcome } = await load('a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx', texts)
    expect(rows).toHaveLength(2)
    expect(outcome).toMatchObject({ read: 2, written: 2, balanced: true })
  })
  it('3: the first line is a header; its order is its own', async () => {
    expect((await load('c,a,b\r\n3,1,2\r\n', texts)).rows).toEqual([{ a: '1', b: '2', c: '3' }])
  })
  it('4: spaces are part of a field; every record has as many fields', async () => {
    const { rows, outcome } = await load('a,b,c\r\n x , y,z \r\nonly,two\r\n', texts, 'rejects: keep')
    expect(rows).toEqual([{ a: ' x ', b: ' y', c: 'z ' }])
    expect(outcome).toMatchObject({ read: 2, written: 1, rejected: 1, balanced: true })
  })
  it('5: a field may be quoted', async () => {
    expect((await load('a,b,c\r\n"aaa","bbb",ccc\r\n', texts)).rows).toEqual([
      { a: 'aaa', b: 'bbb', c: 'ccc' },
    ])
  })
  it('6: line breaks, quotes and commas stand inside quotes', async () => {
    const { rows, outcome } = await load('a,b,c\r\n"aaa","b\r\nbb","c,c"\r\nzzz,yyy,xxx\r\n', texts)
    expect(rows[0]).toEqual({ a: 'aaa', b: 'b\r\nbb', c: 'c,c' })
    expect(outcome).toMatchObject({ read: 2, written: 2, balanced: true })
  })
  it('7: a quote inside a field is doubled', async () => {
    expect((await load('a,b,c\r\n"a""aa","""","x"\r\n', texts)).rows).toEqual([{ a: 'a"aa', b: '"', c: 'x' }])
  })
})

describe('rows on their way', () => {
  it('keeps null and the empty text apart, as Postgres reads CSV', async () => {
    expect((await load('a,b,c\n1,,x\n2,"",x\n', texts)).rows).toEqual([
      { a: '1', b: null, c: 'x' },
      { a: '2', b: '', c: 'x' },
    ])
  })
  it('keeps an empty text that a rule made', async () => {
    const shape = 'shape: [{columns: {type: text}, apply: [trim]}]'
    expect((await load('a,b,c\n1,"  ", x \n', texts, shape)).rows).toEqual([{ a: '1', b: '', c: 'x' }])
    expect(
      (await load('a,b,c\n1,"  ", x \n', texts, shape.replace('[trim]', '[trim, empty-to-null]'))).rows,
    ).toEqual([{ a: '1', b: null, c: 'x' }])
  })
  it('takes names and values that are made to hurt as they are', async () => {
    const nasty = `o'brien"; drop table x;--`
    const job = `
mattock: job/1
name: nasty
title: Nasty
parts:
  - each: {roster: {rows: [{file: ${JSON.stringify(`${nasty}.csv`)}, target: ${JSON.stringify(nasty)}}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}"}
          into: {connection: warehouse, table: "public.{row.target}", write: append}
          types: {a: text}
      - id: by-value
        sql: {on: warehouse, text: "create table by_name_{raw('x')} (v text); insert into by_name_x values ({row.target}); update {name('public', row.target)} set a = a where a = {row.target}"}
`
    bench.writeFile(`${nasty}.csv`, `a\n"o'brien""; drop table x;--"\n`)
    const run = await bench.load(job)
    expect(await bench.own('select state, error from mattock.load where run_id = $1', [run])).toEqual([
      { state: 'done', error: null },
    ])
    expect(await bench.rows(`select a from public."o'brien""; drop table x;--"`)).toEqual([{ a: nasty }])
    expect(await bench.rows('select v from by_name_x')).toEqual([{ v: nasty }])
  })
  it('keeps what cannot be written with its line, its raw text and the reason', async () => {
    const { outcome, step, rows } = await load(
      'a,n,d\n1,1.5,2026-11-01\n2,oops,2026-11-02\n3,2.5,2026-13-01\n4,3.5,2026-11-04,extra\n',
      'a int, n double precision, d date',
      'rejects: keep',
    )
    expect(rows).toHaveLength(1)
    expect(outcome).toMatchObject({ state: 'done', read: 4, written: 1, rejected: 3, balanced: true })
    expect(Object.values(step.reject_reasons as object).reduce((a: number, b: number) => a + b, 0)).toBe(3)
    const { readFileSync } = await import('node:fs')
    const kept = readFileSync(`${bench.folder}/rejects/${step.reject_file as string}`, 'utf8')
      .trim()
      .split('\n')
    expect(kept).toHaveLength(4)
    expect(kept[1]).toMatch(/,3,n,.*oops.*"?2,oops,2026-11-02/)
  })
  it('fails on the first reject unless more are allowed, and leaves everything as it was', async () => {
    const text = 'a,b,c\n1,2,3\nshort\n'
    const failed = await load(text, texts)
    expect(failed.outcome).toMatchObject({ state: 'failed', read: 0, written: 0 })
    expect((failed.outcome.error as { message: string }).message).toContain('1 of 2 rows')
    expect(failed.rows).toEqual([])
    expect((await load(text, texts, 'rejects: {up_to: 1}')).outcome.state).toBe('done')
    expect((await load(text, texts, 'rejects: {share: 0.4}')).outcome.state).toBe('failed')
  })
  it('counts a file without rows, and one of 0 bytes, as nothing read', async () => {
    expect((await load('a,b,c\n', texts)).outcome).toMatchObject({
      state: 'done',
      read: 0,
      written: 0,
      balanced: true,
    })
    expect((await load('', texts)).outcome).toMatchObject({
      state: 'done',
      read: 0,
      written: 0,
      balanced: true,
    })
    expect((await load('', texts, 'check: [{rows: {at_least: 1}}]')).outcome.state).toBe('failed')
  })
  it.each([
    [
      'a picture',
      Buffer.from('89504e470d0a1a0a0000000d4948445200ff00fe', 'hex'),
      /a PNG picture, not a table/,
    ],
    ['a header that names a column twice', 'a,a,b\n1,2,3\n', /lacks: a_2/],
    ['columns that the table lacks', 'a,b,c,d\n1,2,3,4\n', /lacks: d/],
  ])('says what is wrong with %s', async (_what, content, reason) => {
    const { outcome, rows } = await load(content, texts)
    expect(outcome.state).toBe('failed')
    expect((outcome.error as { message: string }).message).toMatch(reason)
    expect((outcome.error as { effect: string }).effect).toBe('nothing was written')
    expect(rows).toEqual([])
  })
  it('says which column Postgres refuses, and writes nothing', async () => {
    const { outcome, rows } = await load('a,b,c\n1,2,3\n,2,3\n', 'a text not null, b text, c text')
    expect(outcome.state).toBe('failed')
    expect((outcome.error as { message: string }).message).toMatch(/null value in column "a"/)
    expect(rows).toEqual([])
  })
  it('makes a table that is not there from what the file holds', async () => {
    bench.writeFile('new.csv', 'id,at,share,name\n1,2026-11-01T10:00:00Z,0.5,x\n')
    await bench.load(
      fileJob(
        'new-table',
        'new.csv',
        '{connection: warehouse, table: fresh.made, write: upsert, key: [id]}',
        'types: {name: text}',
      ),
    )
    expect(
      await bench.rows(
        `select column_name, data_type from information_schema.columns where table_schema = 'fresh' order by ordinal_position`,
      ),
    ).toEqual([
      { column_name: 'id', data_type: 'bigint' },
      { column_name: 'at', data_type: 'timestamp with time zone' },
      { column_name: 'share', data_type: 'numeric' },
      { column_name: 'name', data_type: 'text' },
    ])
  })
  it('keeps the last of rows that share a key where asked to, and says how many went', async () => {
    bench.writeFile('twice.csv', 'id,v\n1,a\n2,b\n1,c\n')
    await bench.rows('create table public.kept (id int primary key, v text)')
    const into = '{connection: warehouse, table: public.kept, write: upsert, key: [id]'
    const failed = await bench.load(fileJob('keys', 'twice.csv', `${into}}`))
    expect(
      await bench.own(`select state, error ->> 'message' as message from mattock.load where run_id = $1`, [
        failed,
      ]),
    ).toEqual([{ state: 'failed', message: '2 rows of what was read share id' }])
    const run = await bench.load(fileJob('keys', 'twice.csv', `${into}, repeats: keep-last}`))
    expect(
      await bench.own('select read, written, merged from mattock.load where run_id = $1', [run]),
    ).toEqual([{ read: 3, written: 2, merged: 1 }])
    expect(await bench.rows('select * from public.kept order by id')).toEqual([
      { id: 1, v: 'c' },
      { id: 2, v: 'b' },
    ])
  })
  it('replaces a slice and nothing beside it', async () => {
    await bench.rows(
      `create table public.sliced (at timestamptz, v int); insert into public.sliced values ('2026-10-31 23:59Z', 1), ('2026-11-01 10:00Z', 2), ('2026-11-02 00:00Z', 3)`,
    )
    bench.writeFile('s_2026-11-01.csv', 'at,v\n2026-11-01T00:00:00Z,20\n2026-11-01T23:59:59Z,21\n')
    const job = (file: string) => `
mattock: job/1
name: slicewise
title: Slicewise
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{file: ${file}}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}_{slice.label}.csv"}
          into: {connection: warehouse, table: public.sliced, write: replace-slice, slice_by: at}
`
    await bench.load(job('s'), { span: '2026-11-01' })
    expect((await bench.rows('select v from public.sliced order by v')).map(({ v }) => v)).toEqual([
      1, 3, 20, 21,
    ])
    bench.writeFile('t_2026-11-01.csv', 'at,v\n2026-11-02T00:00:00Z,9\n')
    const run = await bench.load(job('t'), { span: '2026-11-01' })
    expect(await bench.own('select state from mattock.load where run_id = $1', [run])).toEqual([
      { state: 'failed' },
    ])
  })
  it('never leaves its store', async () => {
    const job = (files: string) => `
mattock: job/1
name: escape
title: Escape
parts:
  - each: {roster: {rows: [{file: ${JSON.stringify(files)}}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}"}
          into: {connection: warehouse, table: public.csv_1, write: append}
`
    const { symlinkSync, writeFileSync } = await import('node:fs')
    writeFileSync(`${bench.folder}/outside.csv`, 'a,b,c\n1,2,3\n')
    symlinkSync(`${bench.folder}/outside.csv`, `${bench.drop}/link.csv`)
    for (const path of ['../outside.csv', `${bench.folder}/outside.csv`, 'x/../../outside.csv', 'link.csv']) {
      await expect(bench.load(job(path)), path).rejects.toThrow(/leaves the store|absolute|leads out/)
    }
  })
})
