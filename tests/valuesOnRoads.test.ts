import { readFileSync, symlinkSync } from 'node:fs'
import iconv from 'iconv-lite'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { csvRecords } from '../core/files/csvRecords'
import { saveSettings } from '../engine/connectors/connections'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { fileJob, testBench, type TestBench } from './support/bench'

/** The same rule (values.test.ts) on the other roads: JSON, from table to table, out to files and in again, encodings. */
let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows("create type mood as enum ('sad', 'ok', 'happy')")
})
afterAll(() => bench.close())

let made = 0

/** What became of the one load of a run, and the rows that it left out, without their header. */
const outcomeOf = async (run: number) => {
  const [step] = await bench.own(
    `select l.state, l.error, l.error ->> 'message' as message, l.read::int, l.written::int, l.rejected::int, s.reject_file, s.reject_reasons, s.log
     from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1`,
    [run],
  )
  const file = step!.reject_file as string | null
  if (!file) return { step: step!, rejects: [] }
  const [head, ...rejects] = csvRecords(readFileSync(`${bench.folder}/rejects/${file}`, 'utf8'))
  expect(head).toEqual(['file', 'line', 'column', 'reason', 'raw'])
  return { step: step!, rejects }
}

describe('JSON on the road to a table', () => {
  const into = async (name: string, text: string, columns?: string, more = 'rejects: keep') => {
    const table = `j_${++made}`
    if (columns) await bench.rows(`create table ${table} (${columns})`)
    bench.writeFile(name, text)
    const run = await bench.load(
      fileJob(table.replace('_', '-'), name, `{connection: warehouse, table: ${table}, write: append}`, more),
    )
    const { step, rejects } = await outcomeOf(run)
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
      return await outcomeOf(run)
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

describe('from table to table', () => {
  let counter = 0
  const across = async (
    from: string,
    to: string,
    values: readonly string[],
    more = 'rejects: keep',
    head = '',
  ) => {
    const [a, b] = [`from_${++counter}`, `to_${counter}`]
    await bench.rows(`create table ${a} (id int, v ${from}); create table ${b} (id int, v ${to})`)
    for (const [i, value] of values.entries())
      await bench.rows(`insert into ${a} values ($1, $2)`, [i, value])
    const document = `
mattock: job/1
name: across-${counter}
title: across
${head}
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: warehouse, table: ${a}}
          into: {connection: warehouse, table: ${b}, write: append}
          ${more}
`
    const run = await bench.load(document)
    const { step, rejects } = await outcomeOf(run)
    const rows = await bench.rows(`select id, v::text from ${b} order by id`)
    return {
      step,
      reasons: rejects.map(([, , , reason]) => reason),
      raw: rejects.map(([, , , , raw]) => raw),
      arrived: rows.map(({ v }) => v),
    }
  }

  it.each([
    ['numeric', 'integer', ['1', '1.5', '2.0', '-7'], ['1', '2', '-7'], ['1.5']],
    ['numeric', 'numeric(8,2)', ['1.25', '1.255', '3'], ['1.25', '3.00'], ['1.255']],
    ['double precision', 'numeric', ['0.1', '0.30000000000000004'], ['0.1', '0.30000000000000004'], []],
    ['double precision', 'real', ['0.5', '0.1', '0.123456789'], ['0.5', '0.1'], ['0.123456789']],
    ['bigint', 'double precision', ['5', '9007199254740993'], ['5'], ['9007199254740993']],
    ['text', 'integer', ['5', ' 6 ', '1.0', '1.5', 'x', '1e3'], ['5', '6', '1'], ['1.5', 'x', '1e3']],
    ['text', 'numeric', ['1.10', '1,5', 'NaN'], ['1.10', 'NaN'], ['1,5']],
    ['timestamp', 'date', ['2026-11-24 00:00:00', '2026-11-24 10:30:00'], ['2026-11-24'], ['2026-11-24 10:30:00']],
    ['text', 'timestamp', ['2026-11-24 10:30', '2026-11-24T10:30:00+02'], ['2026-11-24 10:30:00'], ['2026-11-24T10:30:00+02']],
    ['text', 'varchar(3)', ['abc', 'abcd', 'äöü'], ['abc', 'äöü'], ['abcd']],
    ['date', 'timestamp', ['2026-11-24'], ['2026-11-24 00:00:00'], []],
    ['bigint', 'integer', ['5', '2147483648', '-2147483648'], ['5', '-2147483648'], ['2147483648']],
    ['text', 'smallint', ['32767', '32768', '99999999999999999999'], ['32767'], ['32768', '99999999999999999999']],
    ['numeric', 'numeric(4,1)', ['999.9', '1000', '-999.95', 'NaN', 'Infinity'], ['999.9', 'NaN'], ['1000', '-999.95', 'Infinity']],
    ['double precision', 'integer', ['7', 'NaN', 'Infinity', '1e300'], ['7'], ['NaN', 'Infinity', '1e+300']],
    ['numeric', 'real', ['1e39', '1e-60', '0', '2.5', 'NaN'], ['0', '2.5', 'NaN'], [`1${'0'.repeat(39)}`, `0.${'0'.repeat(59)}1`]],
    ['double precision', 'real', ['0.25', '3.5e38'], ['0.25'], ['3.5e+38']],
    ['timestamp', 'timestamp(0)', ['2026-11-24 10:30:00', '2026-11-24 10:30:00.6', 'infinity'], ['2026-11-24 10:30:00', 'infinity'], ['2026-11-24 10:30:00.6']],
    ['interval', 'interval(0)', ['1 day 00:00:01', '00:00:01.5'], ['1 day 00:00:01'], ['00:00:01.5']],
    ['text', 'time(3)', ['10:30:00.125', '10:30:00.1256'], ['10:30:00.125'], ['10:30:00.1256']],
    ['date', 'timestamp', ['2026-11-24', 'infinity', '5874897-12-31'], ['2026-11-24 00:00:00', 'infinity'], ['5874897-12-31']],
    ['integer', 'boolean', ['0', '1', '2'], ['false', 'true'], ['2']],
    ['smallint', 'bigint', ['-32768', '7'], ['-32768', '7'], []],
    ['text', 'date', ['2026-11-24', ' 2026-11-25 ', '0044-03-15 BC', 'infinity', '2026-11-24 10:30', '24.11.2026', 'Nov 24, 2026'], ['2026-11-24', '2026-11-25', '0044-03-15 BC', 'infinity'], ['2026-11-24 10:30', '24.11.2026', 'Nov 24, 2026']],
    ['text', 'timestamptz', ['2026-11-24 10:30+02', 'yesterday', '2026-11-24'], ['2026-11-24 08:30:00+00', '2026-11-24 00:00:00+00'], ['yesterday']],
    ['uuid', 'text', ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'], ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'], []],
    ['mood', 'text', ['ok', 'sad'], ['ok', 'sad'], []],
    ['jsonb', 'jsonb', ['{"a": 12345678901234567890.5}'], ['{"a": 12345678901234567890.5}'], []],
  ])('%s into %s', async (from, to, values, arrived, rejected) => {
    const found = await across(from, to, values)
    expect(found.step).toMatchObject({
      state: 'done',
      read: values.length,
      written: arrived.length,
      rejected: rejected.length,
    })
    expect(found.arrived).toEqual(arrived)
    expect(found.reasons.map((reason) => /^v "(.*)" does not fit /s.exec(reason!)?.[1])).toEqual(rejected)
  }) // prettier-ignore

  it.each([
    ['text', 'date', ['2026-11-24', '2026-02-30', 'x'], ['2026-11-24'], ['2026-02-30', 'x']],
    ['text', 'uuid', ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', 'none'], ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'], ['none']],
    ['text', 'mood', ['ok', 'glad', 'sad'], ['ok', 'sad'], ['glad']],
    ['text', 'boolean', ['yes', 'perhaps', 'f'], ['true', 'false'], ['perhaps']],
    ['text', 'jsonb', ['{"a": 1.50}', '{a: 1}'], ['{"a": 1.50}'], ['{a: 1}']],
    ['text', 'int[]', ['{1,2}', '{1,x}'], ['{1,2}'], ['{1,x}']],
    ['text', 'interval', ['1 day', 'a while'], ['1 day'], ['a while']],
  ])('%s into %s: what Postgres refuses is a reject of its row alone', async (from, to, values, arrived, rejected) => {
    const found = await across(from, to, values)
    expect(found.step).toMatchObject({ state: 'done', read: values.length, written: arrived.length, rejected: rejected.length }) // prettier-ignore
    expect(found.arrived).toEqual(arrived)
    expect(found.raw.map((raw) => (JSON.parse(raw!) as { v: string }).v).sort()).toEqual([...rejected].sort())
  }) // prettier-ignore

  it('rows that the table refuses are rejects, all of them, with all that is said against each', async () => {
    await bench.rows(
      `create table ruled_kind (kind text primary key); insert into ruled_kind values ('flow'), ('level');
       create table ruled_from (id int, kind text, v numeric, "odd ""name""" text);
       insert into ruled_from select n, case when n % 50 = 7 then 'none' else 'flow' end, case when n % 100 = 7 then -1 else n end, case when n = 900 then null else 'x' end from generate_series(1, 1000) n;
       insert into ruled_from values (5, 'level', 1, 'twice');
       create table ruled_to (id int primary key, kind text not null references ruled_kind, v numeric(6,1) constraint above check (v >= 0), "odd ""name""" text not null)`,
    )
    const run = async (rejects: string) =>
      await outcomeOf(
        await bench.load(`
mattock: job/1
name: ruled
title: Ruled
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: warehouse, table: ruled_from}
          into: {connection: warehouse, table: ruled_to, write: append}
          rejects: ${rejects}
`),
      )
    expect((await run('fail')).step).toMatchObject({ state: 'failed', written: 0 })
    expect((await run('{up_to: 21}')).step).toMatchObject({ state: 'failed' })
    expect(await bench.rows('select * from ruled_to')).toEqual([])
    const { step, rejects } = await run('{up_to: 22}')
    expect(step).toMatchObject({ state: 'done', read: 1001, written: 979, rejected: 22 })
    expect(Object.values(step.reject_reasons as Record<string, number>).reduce((a, b) => a + b, 0)).toBe(22)
    const byLine = new Map(rejects.map(([, line, , reason, raw]) => [line, { reason, raw }]))
    const due = [...Array.from({ length: 20 }, (_, i) => 7 + 50 * i), 900, 1001].sort((a, b) => a - b)
    expect([...byLine.keys()].map(Number)).toEqual(due)
    expect(byLine.get('7')!.reason).toMatch(/breaks the check above.*; is not in ruled_kind/)
    expect(byLine.get('57')!.reason).toMatch(/^is not in ruled_kind, which ruled_to_kind_fkey asks for$/)
    expect(byLine.get('900')!.reason).toBe('odd "name" is empty, and may not be')
    expect(byLine.get('1001')!.reason).toMatch(/the same id stands in an earlier row/)
    expect(JSON.parse(byLine.get('1001')!.raw!)).toEqual({ id: '5', kind: 'level', v: '1.0', 'odd "name"': 'twice' }) // prettier-ignore
    // what is right arrived, once
    const [sums] = await bench.rows('select count(*)::int as n, sum(v)::text as v from ruled_to')
    const [right] = await bench.rows(
      `select count(*)::int as n, sum(v)::numeric(9,1)::text as v from ruled_from where kind = 'flow' and "odd ""name""" is not null`,
    )
    expect(sums).toEqual(right)
  })

  it('local times that the clock of the job’s zone never shows are rejects', async () => {
    const zone = 'slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01}'
    const local = ['2026-03-29 01:59', '2026-03-29 02:30', '2026-10-25 02:30', '2026-02-29 10:00']
    const arrived = ['2026-03-29 00:59:00+00', '2026-10-25 01:30:00+00']
    const texts = await across(
      'text',
      'timestamptz',
      [...local, '2026-03-29 02:30+01'],
      'rejects: keep',
      zone,
    )
    expect(texts.step).toMatchObject({ state: 'done', written: 3, rejected: 2 })
    expect(texts.arrived).toEqual([...arrived, '2026-03-29 01:30:00+00'])
    const times = await across('timestamp', 'timestamptz', [...local.slice(0, 3), 'infinity'], 'rejects: keep', zone) // prettier-ignore
    expect(times.arrived).toEqual([...arrived, 'infinity'])
    expect(times.reasons).toEqual(['v "2026-03-29 02:30:00" does not fit timestamp with time zone'])
  })

  it('a point in time is not cast into a type without a zone; one that does not fit fails a load that allows none', async () => {
    const moved = await across('timestamptz', 'timestamp', ['2026-11-24 10:00+00'])
    expect(moved.step).toMatchObject({ state: 'failed', error: { code: 'cast' } })
    expect((moved.step.error as { message: string }).message).toContain('has no clock of its own')
    const strict = await across('numeric', 'integer', ['1', '1.5'], 'rejects: fail')
    expect(strict.step).toMatchObject({ state: 'failed', error: { code: 'rejects' } })
    expect(strict.arrived).toEqual([])
  })

  it('is the same whatever the source is set to', async () => {
    const at = new URL(bench.warehouseUrl)
    await bench.own(
      "insert into mattock.connection (name, kind, title) values ('styled', 'postgres', 'Styled')",
    )
    const settings = {
      host: at.hostname,
      port: Number(at.port),
      database: at.pathname.slice(1),
      user: at.username,
    }
    await saveSettings(bench.engine, 'styled', 'dev', { settings, secret: at.password }, 'test')
    await bench.rows(
      "create table styled_from as select date '2026-02-01' as day, interval '-1 day 02:00' as span, 0.1::float8 + 0.2 as float, '\\x00ff'::bytea as bytes, timestamptz '2026-02-01 10:00+05:30' as at; create table styled_to (like styled_from)",
    )
    const database = at.pathname.slice(1)
    for (const [name, value] of [['datestyle', 'SQL, DMY'], ['intervalstyle', 'sql_standard'], ['extra_float_digits', '-5'], ['bytea_output', 'escape'], ['timezone', 'America/St_Johns']] as const) await bench.rows(`alter database ${database} set ${name} to '${value}'`) // prettier-ignore
    try {
      const run = await bench.load(`
mattock: job/1
name: styled
title: styled
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: styled, table: styled_from}
          into: {connection: warehouse, table: styled_to, write: append}
`)
      const [load] = await bench.own('select state, error from mattock.load where run_id = $1', [run])
      expect(load).toEqual({ state: 'done', error: null })
    } finally {
      await bench.rows(`alter database ${database} reset all`)
    }
    expect(
      await bench.rows(
        'select count(*)::int as n from (select * from styled_from intersect select * from styled_to) same',
      ),
    ).toEqual([{ n: 1 }])
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
        return await outcomeOf(run)
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

it('a table that is made from a table has its key and its NOT NULL, and generated columns are its own', async () => {
  await bench.rows(
    'create table "Made From" (b int not null, a text, "Q" numeric(8,2) not null, twice int generated always as (b * 2) stored, primary key (a, b))',
  )
  await bench.rows(`insert into "Made From" values (1, 'x', 1.25)`)
  await bench.load(`
mattock: job/1
name: made-from
title: made
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: warehouse, table: Made From}
          into: {connection: warehouse, table: Made To, write: append}
`)
  const { rows } = await bench.warehouse.query<{
    name: string
    type: string
    required: boolean
  }>(
    `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as required from pg_attribute a where a.attrelid = '"Made To"'::regclass and a.attnum > 0 order by a.attnum`,
  )
  expect(rows).toEqual([
    { name: 'b', type: 'integer', required: true },
    { name: 'a', type: 'text', required: true },
    { name: 'Q', type: 'numeric(8,2)', required: true },
  ])
  expect(await bench.rows(`select conkey from pg_constraint where conrelid = '"Made To"'::regclass and contype = 'p'`)).toEqual([{ conkey: [2, 1] }]) // prettier-ignore
  expect(await bench.rows('select * from "Made To"')).toEqual([{ b: 1, a: 'x', Q: '1.25' }])
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
