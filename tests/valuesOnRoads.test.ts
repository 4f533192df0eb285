import { readFileSync, symlinkSync } from 'node:fs'
import iconv from 'iconv-lite'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { csvRecords } from '../core/files/csvRecords'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { fileJob, testBench, type TestBench } from './support/bench'
import { outcomeOf } from './support/outcome'

/** The same rule (values.test.ts) on the other roads: JSON, out to files and in again, encodings; tableToTable.test.ts has that from table to table. */
let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows("create type mood as enum ('sad', 'ok', 'happy')")
})
afterAll(() => bench.close())

let made = 0

describe('JSON on the road to a table', () => {
  const into = async (name: string, text: string, columns?: string, more = 'rejects: keep') => {
    const table = `j_${++made}`
    if (columns) await bench.rows(`create table ${table} (${columns})`)
    bench.writeFile(name, text)
    const run = await bench.load(
      fileJob(table.replace('_', '-'), name, `{connection: warehouse, table: ${table}, write: append}`, more),
    )
    const { step, rejects } = await outcomeOf(bench, run)
    return { step, rejects, rows: await bench.rows(`select * from ${table}`), table }
  }
  const numbers = ['1', '9007199254740993', '12345678901234567890.123456789', '-0.1', '1e3', '0.30000000000000004', '1e-20'] // prettier-ignore

  it.each([
    ['numbers.ndjson', numbers.map((n, i) => `{"id":${i},"n":${n}}`).join('\n')],
    ['numbers.json', `[${numbers.map((n, i) => `{"id":${i},"n":${n}}`).join(',')}]`],
    ['within.json', `{"page":1,"data":[${numbers.map((n, i) => `{"id":${i},"n":${n}}`).join(',')}]}`],
  ])('%s keeps every digit, and a table that is made gets numeric', async (name, text) => {
    const { rows, table } = await into(name, text)
    const types = await bench.rows(
      `select data_type from information_schema.columns where table_name = $1 and column_name = 'n'`,
      [table],
    )
    expect(types).toEqual([{ data_type: 'numeric' }])
    expect(rows).toHaveLength(numbers.length)
    const wrong = await bench.rows(
      `select t, n::text from ${table} join unnest($1::text[]) with ordinality x(t, at) on at = id + 1 where n <> t::numeric`,
      [numbers],
    )
    expect(wrong).toEqual([])
  })

  it('strings in columns of several kinds keep no quotes, lists and objects stay JSON with their numbers', async () => {
    const { rows } = await into(
      'mixed.ndjson',
      '{"id":1,"v":"a \\"b\\""}\n{"id":2,"v":5}\n{"id":3,"v":{"k":[1,12345678901234567890,"x"]}}\n{"id":4,"v":null}\n{"id":5,"v":"12345678901234567890"}\n',
      'id int, v text',
    )
    expect(rows.map(({ v }) => v)).toEqual([
      'a "b"',
      '5',
      '{"k":[1,12345678901234567890,"x"]}',
      null,
      '12345678901234567890',
    ])
  })

  it('a line that is no object is one reject at its line, whatever it is', async () => {
    const { step, rejects, rows } = await into(
      'lines.ndjson',
      '{"id":1,"v":"a"}\n\n{"id":2,"v":\n[3]\n{"id":4,"v":"d"} x\nnull\n{"id":"no","v":"f"}\n{"id":7,"v":"g"}\n',
      'id int, v text',
    )
    expect(rows.map(({ id }) => id)).toEqual([1, 7])
    expect(step).toMatchObject({ state: 'done', read: 7, written: 2, rejected: 5 })
    expect(rejects.map(([, line, column, reason]) => [Number(line), column, reason])).toEqual([
      [3, '', 'a line that is no JSON object'],
      [4, '', 'a line that is no JSON object'],
      [5, '', 'a line that is no JSON object'],
      [6, '', 'a line that is no JSON object'],
      [7, 'id', 'id "no" does not fit integer'],
    ])
  })

  it('lines that are no document are told where lists within them are read, too, and values by their line', async () => {
    bench.writeFile('lists/a.ndjson', '{"o":1,"items":[{"n":1},{"n":2}]}\n{"o":2,"items":\n{"o":3,"items":[{"n":"x"},{"n":4},{"n":"y"}]}\n') // prettier-ignore
    bench.writeFile('lists/b.ndjson', '{"o":4,"items":[]}\n\n{"o":5}\nnull\n{"o":6,"items":[{"n":12345678901234567890.5},{"n":"z"}]}\n') // prettier-ignore
    await bench.rows('create table listed (o int, entry int, n numeric)')
    const load = async (rejects: string) => {
      const run = await bench.load(
        fileJob('listed', 'lists', '{connection: warehouse, table: listed, write: append}', rejects).replace('"{row.file}"', '"lists/*.ndjson", inner: items'), // prettier-ignore
      )
      return await outcomeOf(bench, run)
    }
    expect((await load('rejects: fail')).step).toMatchObject({ state: 'failed' })
    const { step, rejects } = await load('rejects: keep')
    expect(step).toMatchObject({ state: 'done', read: 9, written: 4, rejected: 5 })
    expect(await bench.rows('select o, entry, n::text from listed order by 1, 2')).toEqual([
      { o: 1, entry: 1, n: '1' },
      { o: 1, entry: 2, n: '2' },
      { o: 3, entry: 2, n: '4' },
      { o: 6, entry: 1, n: '12345678901234567890.5' },
    ])
    expect(rejects.map(([file, line, column, reason]) => [file, Number(line), column, reason])).toEqual([
      ['a.ndjson', 2, '', 'a line that is no JSON object'],
      ['a.ndjson', 3, 'n', 'n "x" does not fit numeric'],
      ['a.ndjson', 3, 'n', 'n "y" does not fit numeric'],
      ['b.ndjson', 4, '', 'a line that is no JSON object'],
      ['b.ndjson', 5, 'n', 'n "z" does not fit numeric'],
    ])
    expect(rejects[0]![4]).toBe('{"o":2,"items":')
  })

  it('numbers do not become whole, nor times days', async () => {
    const { rows, rejects } = await into(
      'casts.json',
      '[{"n":1.5,"d":"2026-01-01"},{"n":2,"d":"2026-01-02T10:00:00"},{"n":3.0,"d":"2026-01-03"}]',
      'n int, d date',
    )
    expect(rows).toHaveLength(1)
    expect(rejects.map(([, , , reason]) => reason)).toEqual([
      'n "1.5" does not fit integer',
      'd "2026-01-02T10:00:00" does not fit date',
    ])
  })

  it('NaN and Infinity, which RFC 8259 has not, arrive as what they are called', async () => {
    const { rows } = await into('nan.ndjson', '{"n":NaN}\n{"n":-Infinity}\n{"n":1}\n', 'n double precision')
    expect(rows.map(({ n }) => n)).toEqual([NaN, -Infinity, 1])
  })

  it('a table is not emptied for a file that nearly all of is broken', async () => {
    await bench.rows('create table standing (id int)')
    await bench.rows('insert into standing values (1), (2), (3)')
    bench.writeFile('broken.csv', 'id\n1\nx\ny\nz\n')
    const load = async (rejects: string) => {
      const run = await bench.load(
        fileJob(
          'standing',
          'broken.csv',
          '{connection: warehouse, table: standing, write: replace-all}',
          rejects,
        ),
      )
      const [{ state }] = (await bench.own('select state from mattock.load where run_id = $1', [run])) as [{ state: string }] // prettier-ignore
      return [state, (await bench.rows('select * from standing')).length]
    }
    expect(await load('rejects: keep')).toEqual(['failed', 3])
    expect(await load('rejects: {share: 1}')).toEqual(['done', 1])
  })
})

describe('out and in again', () => {
  const job = (name: string, steps: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
${steps.replace(/^/gm, '      ')}
`
  const done = async (document: string) => {
    const run = await bench.load(document)
    const [load] = await bench.own('select state, error from mattock.load where run_id = $1', [run])
    expect(load).toEqual({ state: 'done', error: null })
  }
  const nasty = [
    '',
    ' ',
    '-10 %',
    '=1+1',
    '+49 30',
    'o\'b"c',
    'a\nb',
    'a\r\nb',
    'NULL',
    '\\N',
    'ünï,;|\t',
    null,
  ]

  it.each(['csv', 'csv.gz', 'tsv', 'ndjson', 'parquet'])(
    'a table written as %s and read again is the same, row by row, nothing and empty apart',
    async (ending) => {
      const name = `again-${ending.replace('.', '-')}`
      const [a, b] = [`${name}_from`, `${name}_to`]
      await bench.rows(
        `create table "${a}" (id int, t text, n numeric, big bigint, d date, at timestamptz, f float8, yes boolean)`,
      )
      for (const [i, text] of nasty.entries())
        await bench.rows(`insert into "${a}" values ($1, $2, $3, $4, $5, $6, $7, $8)`, [
          i,
          text,
          i === 3 ? null : '12345678901234567890.123456789',
          '9223372036854775807',
          i === 4 ? 'infinity' : '0001-01-01',
          '2026-03-29T02:30:00.123456+02',
          i === 5 ? 'NaN' : 0.1 + 0.2,
          i % 2 === 0,
        ])
      await bench.rows(`create table "${b}" (like "${a}")`)
      await done(
        job(
          name,
          `- id: out
  transfer:
    from: {connection: warehouse, table: "public.${a}"}
    into: {store: drop, file: "out/${name}.${ending}"}
- id: in
  transfer:
    from: {store: drop, files: "out/${name}.${ending}"${ending === 'tsv' ? ', delimiter: "\\t"' : ''}}
    into: {connection: warehouse, table: "public.${b}", write: append}`,
        ),
      )
      const differ = (x: string, y: string) =>
        bench.rows(`select * from (select * from "${x}" except all select * from "${y}") d order by id`)
      expect([await differ(a, b), await differ(b, a)]).toEqual([[], []])
    },
  )

  it.each(['csv', 'parquet'])(
    'values of a table that do not fit the types of a file (%s) are rejects',
    async (ending) => {
      const table = `typed_${ending}`
      await bench.rows(
        `create table ${table} (id int, v text); insert into ${table} select n, case when n in (3, 5) then 'many, "or" so' else n || '.50' end from generate_series(1, 6) n`,
      )
      const out = async (rejects: string) => {
        const run = await bench.load(`
mattock: job/1
name: typed-${ending}
title: Typed
parts:
  - once:
      - id: out
        transfer:
          from: {connection: warehouse, table: ${table}}
          into: {store: drop, file: "out/typed.${ending}"}
          types: {v: 'decimal(6,2)'}
          rejects: ${rejects}
`)
        return await outcomeOf(bench, run)
      }
      expect((await out('fail')).step).toMatchObject({
        state: 'failed',
        message: expect.stringMatching(/^2 of 6 rows cannot be written, none is allowed: v: cannot be read/) as string, // prettier-ignore
      })
      const { step, rejects } = await out('keep')
      expect(step).toMatchObject({ state: 'done', read: 6, written: 4, rejected: 2 })
      expect(rejects.map((fields) => fields.slice(0, 4))).toEqual(
        ['3', '5'].map((line) => ['', line, 'v', 'v "many, "or" so" does not fit numeric(6,2)']),
      )
      expect(JSON.parse(rejects[0]![4]!)).toMatchObject({ v: 'many, "or" so' })
    },
  )

  it('parts of a table by a column come back with it, nothing as nothing', async () => {
    await bench.rows('create table parted_from (id int, k text, v int)')
    for (const [i, k] of ['a', null, '', 'a/b=c d', 'ü%', 'a'].entries())
      await bench.rows('insert into parted_from values ($1, $2, $1)', [i, k])
    await bench.rows('create table parted_to (like parted_from)')
    await done(
      job(
        'parted',
        `- id: out
  transfer:
    from: {connection: warehouse, table: parted_from}
    into: {store: drop, file: parts, format: csv, split: {by: [k]}}
- id: in
  transfer:
    from: {store: drop, files: "parts/**/*.csv"}
    into: {connection: warehouse, table: parted_to, write: append}`,
      ),
    )
    expect(await bench.rows('select * from parted_to order by id')).toEqual(
      await bench.rows('select * from parted_from order by id'),
    )
  })
})

it('a link that leads out of the store is the finding of its row, and no end of the plan', async () => {
  bench.writeFile('links/a.csv', 'id\n1\n')
  symlinkSync('/etc/passwd', `${bench.drop}/links/b.csv`)
  await saveJob(
    bench.engine,
    fileJob('links', 'x', '{connection: warehouse, table: "public.{row.file}", write: append}')
      .replace('[{file: "x"}]', '[{file: a}, {file: b}]')
      .replace('files: "{row.file}"', 'files: "links/{row.file}.csv"'),
    { by: 'test' },
  )
  const { id } = await makePlan(bench.engine, {
    job: 'links',
    environment: 'dev',
    parameters: {},
    by: 'test',
  })
  const [{ findings }] = (await bench.own('select findings from mattock.plan where id = $1', [id])) as [{ findings: { code: string; message: string }[] }] // prettier-ignore
  const [found] = findings.filter(({ code }) => code === 'outside-store')
  expect(found!.message).toContain('b: "links/b.csv" leads out of the store drop')
  expect(findings.map(({ code }) => code)).not.toContain('empty-file')
  expect(JSON.stringify(findings)).not.toContain('root:')
})

it('a job that writes files from a database finds nothing changed when it is planned again', async () => {
  await bench.rows('create table steady (id int, n numeric(8,2), at timestamptz, note varchar(20))')
  const document = `
mattock: job/1
name: steady
title: steady
parts:
  - once:
      - id: out
        transfer:
          from: {connection: warehouse, table: steady}
          into: {store: drop, file: out/steady.csv}
`
  await bench.load(document)
  const planned = async () => {
    const { id } = await makePlan(bench.engine, {
      job: 'steady',
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    const [{ findings }] = (await bench.own('select findings from mattock.plan where id = $1', [id])) as [{ findings: { code: string }[] }] // prettier-ignore
    return findings.map(({ code }) => code).filter((code) => code === 'schema-changed')
  }
  expect(await planned()).toEqual([])
  await bench.rows('alter table steady alter note type text')
  expect(await planned()).toEqual(['schema-changed'])
})

describe('encodings', () => {
  // Unicode's mappings: VENDORS/MICSFT/WINDOWS/CP1252.TXT and CP1251.TXT, ISO8859/8859-15.TXT
  const texts = ['Müller', '5 €', '“so”', '…', 'Œuvre', '–']
  const load = async (name: string, bytes: Buffer, more: string) => {
    const table = `e_${++made}`
    await bench.rows(`create table ${table} (id int, v text)`)
    bench.writeFile(name, bytes)
    const run = await bench.load(
      fileJob(table.replace('_', '-'), name, `{connection: warehouse, table: ${table}, write: append}`, 'rejects: keep').replace('files: "{row.file}"', `files: "{row.file}", ${more}`),
    ) // prettier-ignore
    const [step] = await bench.own(
      'select l.state, l.error, l.rejected::int, s.reject_file from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1',
      [run],
    )
    const rejects = step!.reject_file
      ? csvRecords(readFileSync(`${bench.folder}/rejects/${step!.reject_file as string}`, 'utf8')).slice(1)
      : []
    return {
      step,
      rejects,
      values: (await bench.rows(`select v from ${table} order by id`)).map(({ v }) => v),
    }
  }
  const file = (values: readonly string[]) => `id,v\r\n${values.map((v, i) => `${i},${v}\r\n`).join('')}`

  it.each([
    ['windows-1252', 'format: detect', texts],
    ['windows-1252', 'encoding: windows-1252', texts],
    ['windows-1252', 'encoding: latin-1', texts],
    ['utf16-le', 'format: detect', texts],
    ['utf-16be', 'encoding: utf-16be', texts],
    ['windows-1251', 'encoding: windows-1251', ['Привет', 'ё']],
    ['cp850', 'encoding: cp850', ['Grüße', 'ñ']],
    ['shift_jis', 'encoding: shift_jis', ['表示', 'ソ', 'テスト']],
    ['gb18030', 'encoding: gb18030', ['测试', '一']],
  ])('%s by %s', async (encoding, more, values) => {
    const mark = encoding === 'utf16-le' ? '\uFEFF' : ''
    const found = await load(`${encoding}-${made}.csv`, iconv.encode(mark + file(values), encoding), more)
    expect(found.step).toMatchObject({ state: 'done', rejected: 0 })
    expect(found.values).toEqual(values)
  })

  it('rejects have their lines and their letters there, too', async () => {
    const text = 'id,v\r\n1,"5 €\r\nand"\r\nx,“so”\r\nshort\r\n2,…\r\n'
    const found = await load('rejects-1252.csv', iconv.encode(text, 'windows-1252'), 'format: detect')
    expect(found.values).toEqual(['5 €\r\nand', '…'])
    expect(found.rejects.map(([name, line, , , raw]) => [name, Number(line), raw])).toEqual([
      ['rejects-1252.csv', 4, 'x,“so”'],
      ['rejects-1252.csv', 5, 'short'],
    ])
  })

  it('bytes that are no letter are never let through as another', async () => {
    const wrong = await load(
      'wrong-1252.csv',
      Buffer.from('id,v\n1,a\x81b\n', 'latin1'),
      'encoding: windows-1253',
    )
    expect(wrong.step).toMatchObject({ state: 'failed', error: { code: 'file' } })
    const utf8 = await load(
      'wrong-utf8.csv',
      Buffer.from('id,v\n1,M\xfcller\n2,ok\n', 'latin1'),
      'encoding: utf-8',
    )
    expect(utf8.values).toEqual(['ok'])
    expect(utf8.rejects).toHaveLength(1)
  })
})
