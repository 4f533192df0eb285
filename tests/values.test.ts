import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { csvRecords } from '../core/files/csvRecords'
import { fileJob, testBench, type TestBench } from './support/bench'

/**
 * The rule: a value arrives exactly as it was read, or it is a reject with its line. Judged by Postgres's own reading of
 * the same text (numeric, timestamp, timestamptz), which is exact.
 */
let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows("create type mood as enum ('sad', 'ok', 'happy')")
  await bench.rows('create domain even as int check (value % 2 = 0)')
})
afterAll(() => bench.close())

const quoted = (text: string): string => `"${text.replaceAll('"', '""')}"`
let made = 0

interface Outcome {
  readonly arrived: ReadonlyMap<number, string | null>
  /** Line of the file → reason. */
  readonly rejected: ReadonlyMap<number, string>
  readonly state: unknown
  readonly table: string
}

/** Loads texts, one a line from line 2 on, into a column of a type. */
async function load(type: string, texts: readonly string[], more = 'rejects: keep'): Promise<Outcome> {
  const table = `v_${++made}`
  await bench.rows(`create table ${table} (id int, v ${type})`)
  bench.writeFile(`${table}.csv`, `id,v\n${texts.map((text, i) => `${i},${quoted(text)}\n`).join('')}`)
  const run = await bench.load(
    fileJob(
      table.replace('_', '-'),
      `${table}.csv`,
      `{connection: warehouse, table: ${table}, write: append}`,
      more,
    ),
  )
  const [row] = await bench.own(
    'select l.state, l.error, l.read = l.written + l.rejected as balanced, s.reject_file from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1',
    [run],
  )
  expect(row, JSON.stringify(row!.error)).toMatchObject({ state: 'done', balanced: true })
  const rejected = new Map<number, string>()
  if (row!.reject_file !== null) {
    const [, ...records] = csvRecords(
      readFileSync(`${bench.folder}/rejects/${row!.reject_file as string}`, 'utf8'),
    )
    for (const [, line, , reason] of records) rejected.set(Number(line), reason!)
  }
  const arrived = await bench.rows(`select id, v::text as v from ${table}`)
  return {
    arrived: new Map(arrived.map(({ id, v }) => [id as number, v as string | null])),
    rejected,
    state: row!.state,
    table,
  }
}

/** Every text arrived or is a reject at its own line; none is both, none is lost. Returns those that arrived. */
function parted(texts: readonly string[], { arrived, rejected }: Outcome): string[] {
  expect(
    texts.flatMap((text, i) => (arrived.has(i) === rejected.has(i + 2) ? [{ text, line: i + 2 }] : [])),
  ).toEqual([])
  return texts.filter((_, i) => arrived.has(i))
}

/** Texts that arrived as something else than Postgres reads them for. `same` compares v with $1's text t. */
async function changed({ table, arrived }: Outcome, texts: readonly string[], same: string) {
  const list = [...arrived].filter(([, v]) => v !== null).map(([id]) => ({ id, t: texts[id]! }))
  return await bench.rows(
    `select x.t, v::text from jsonb_to_recordset($1::jsonb) x(id int, t text) join ${table} using (id) where (${same}) is not true`,
    [JSON.stringify(list)],
  )
}

const digits = (most: number) =>
  fc.string({ unit: fc.constantFrom(...'0123456789'), minLength: 1, maxLength: most })
const signed = fc.constantFrom('', '', '-', '+')
const decimalText = fc
  .tuple(signed, digits(12), fc.option(digits(9), { nil: undefined }))
  .map(([sign, whole, rest]) => `${sign}${whole}${rest === undefined ? '' : `.${rest}`}`)
const sample = <T>(from: fc.Arbitrary<T>, seed: number, count = 300): T[] =>
  fc.sample(from, { numRuns: count, seed })
const odd = ['1.5', '1.0', '-0', '+7', '1e3', '1.', '.5', '1,5', '1 000', ' 12 ', 'NaN', 'Infinity', '-inf', '0x1F', '1_000', '१२', '', ' ', '--1', '1-', '€5', '9007199254740993', '9223372036854775807', '9223372036854775808', '0.1', '0.30000000000000004', '1.2345678901234567890', '123456789.123456789', '1e400', '999999.995', '1.10', '1e-7'] // prettier-ignore

describe('numbers arrive with every digit, or are rejects', () => {
  it.each([
    ['smallint', ['1', '-32768', '32767', '1.0', ' 12 ']],
    ['integer', ['2147483647', '-2147483648', '007']],
    ['bigint', ['9007199254740993', '9223372036854775807', '-9223372036854775808']],
    ['numeric', ['0.1', '1.2345678901234567890', '1e-7', '123456789.123456789', '9223372036854775808', '-0']],
    ['numeric(8,2)', ['1.5', '999999.99', '1.10', '1.100', '-5', '1e3']],
    ['numeric(3,0)', ['999', '-7', '5.0']],
    ['double precision', ['0.1', '1.5', '0.30000000000000004', '1e300', '-inf', 'NaN']],
    ['real', ['0.1', '1.5', '16777216']],
  ])('%s', async (type, must) => {
    const texts = [...must, ...odd, ...sample(decimalText, 7)]
    const outcome = await load(type, texts)
    const kept = parted(texts, outcome)
    expect(must.filter((text) => !kept.includes(text))).toEqual([])
    expect(await changed(outcome, texts, 'trim(t)::numeric = v::text::numeric')).toEqual([])
    for (const text of ['--1', '1-', '€5', '0x1F', '1_000', '1,5', '1 000'])
      expect(kept, text).not.toContain(text)
  })

  it('1.5 is no integer, 1.555 no numeric(8,2), and the reason says so', async () => {
    const whole = await load('integer', ['1.5'])
    expect([...whole.rejected]).toEqual([[2, 'v "1.5" does not fit integer']])
    const exact = await load('numeric(8,2)', ['1.555', '1234567'])
    expect([...exact.rejected.values()]).toEqual([
      'v "1.555" does not fit numeric(8,2)',
      'v "1234567" does not fit numeric(8,2)',
    ])
  })

  it('with a decimal comma a point is no sign of a number', async () => {
    const table = `v_${++made}`
    await bench.rows(`create table ${table} (id int, v numeric)`)
    bench.writeFile('comma.csv', 'id;v\n1;1,5\n2;1.234\n3;-0,25\n4;7\n5;1.234,5\n')
    await bench.load(
      fileJob(
        'comma',
        'comma.csv',
        `{connection: warehouse, table: ${table}, write: append}`,
        'rejects: keep',
      ).replace('files: "{row.file}"', 'files: "{row.file}", delimiter: ";", decimal: ","'),
    )
    expect(await bench.rows(`select id, v::text from ${table} order by id`)).toEqual([
      { id: 1, v: '1.5' },
      { id: 3, v: '-0.25' },
      { id: 4, v: '7' },
    ])
  })
})

const two = (n: number) => String(n).padStart(2, '0')
const dayText = fc
  .tuple(fc.integer({ min: 1, max: 9999 }), fc.integer({ min: 0, max: 13 }), fc.integer({ min: 0, max: 32 }))
  .map(([year, month, day]) => `${String(year).padStart(4, '0')}-${two(month)}-${two(day)}`)
const clockText = fc
  .tuple(fc.integer({ min: 0, max: 24 }), fc.integer({ min: 0, max: 60 }), fc.integer({ min: 0, max: 60 }), fc.option(digits(8), { nil: undefined }))
  .map(([hour, minute, second, rest]) => `${two(hour)}:${two(minute)}:${two(second)}${rest ? `.${rest}` : ''}`) // prettier-ignore
const offsetText = fc.constantFrom('', 'Z', '+00', '+05:30', '-03:30', ' +0200', '+14:00', ' UTC')
const stampText = fc
  .tuple(dayText, fc.constantFrom(' ', 'T'), clockText, offsetText)
  .map((parts) => parts.join(''))
const oddDays = ['2026-11-24', '2026/11/24', '2026/02/30', '2026/11-24', '2026/11/24 10:30', '2026-11-24 00:00:00', '2026-11-24T10:30', '2026-02-29', '2024-02-29', '24.11.2026', '11/24/2026', '2026-1-5', '0044-03-15 BC', '0044-03-15 (BC)', 'infinity', '-infinity', 'today', 'now', '', '2026-11-24 10:00:00.1234567', '2026-11-24 10:00:00.123456000', '2026-11-24 24:00:00', '2026-11-24 10:00:60', '2026-11-24 10:00+25:00', '20261124', '10000-01-01', '2026-11-24T10:00:00,5Z', '1850-06-01 12:00:00+00:39:49'] // prettier-ignore

describe('days and times arrive as they are written, or are rejects', () => {
  it('date: no time is cut off', async () => {
    const texts = [...oddDays, ...sample(dayText, 11), ...sample(stampText, 12, 100)]
    const outcome = await load('date', texts)
    const kept = parted(texts, outcome)
    for (const text of [
      '2026-11-24',
      '2026/11/24',
      '2024-02-29',
      '0044-03-15 BC',
      'infinity',
      '2026-11-24 00:00:00',
    ])
      // prettier-ignore
      expect(kept).toContain(text)
    for (const text of [
      '2026-11-24T10:30',
      '2026-02-29',
      '24.11.2026',
      '11/24/2026',
      'today',
      'now',
      '20261124',
    ])
      expect(kept).not.toContain(text)
    expect(
      await changed(outcome, texts, "v::timestamp = replace(replace(t, '(', ''), ')', '')::timestamp"),
    ).toEqual([])
  })

  it('timestamp: no offset is dropped, no fraction cut', async () => {
    const texts = [...oddDays, ...sample(stampText, 13)]
    const outcome = await load('timestamp', texts)
    const kept = parted(texts, outcome)
    for (const text of ['2026-11-24T10:30', '2026-11-24 10:00:00.123456000', '0044-03-15 BC', '-infinity'])
      expect(kept).toContain(text)
    for (const text of ['2026-11-24 10:00:00.1234567', '2026-11-24 24:00:00', '2026-11-24 10:00:60', 'today', '2026-11-24T10:00:00,5Z'])
      expect(kept).not.toContain(text) // prettier-ignore
    expect(kept.filter((text) => /(Z|UTC|[+-]\d\d(:?\d\d)*)$/.test(text.slice(10)))).toEqual([])
    expect(await changed(outcome, texts, "v = replace(replace(t, '(', ''), ')', '')::timestamp")).toEqual([])
  })

  it('timestamptz: every offset counts, and what has none is in the job’s zone', async () => {
    const texts = [...oddDays, ...sample(stampText, 14)]
    const outcome = await load('timestamptz', texts)
    const kept = parted(texts, outcome)
    for (const text of ['2026-11-24T10:30', '2026-11-24', '2026-11-24T10:00:00,5Z', 'infinity', '1850-06-01 12:00:00+00:39:49'])
      expect(kept).toContain(text) // prettier-ignore
    expect(
      await changed(
        outcome,
        texts,
        "v = (replace(replace(replace(t, '(', ''), ')', ''), ',', '.') || case when t ~ '(Z|UTC|[+-]\\d\\d(:?\\d\\d)*)$' and length(t) > 11 then '' when t ~ 'BC|inf' then '' else '+00' end)::timestamptz",
      ),
    ).toEqual([])
  })

  it('a time without an offset is of the job’s zone; one that its clock never shows is a reject', async () => {
    const table = `v_${++made}`
    await bench.rows(`create table ${table} (id int, v timestamptz)`)
    // clocks of Oslo go from 02:00 to 03:00 on 2026-03-29, and from 03:00 back to 02:00 on 2026-10-25 (IANA tzdb)
    const texts = ['2026-03-29 01:59:59', '2026-03-29 02:30:00', '2026-03-29 03:00:00', '2026-07-01 12:00', '2026-10-25T02:30:00', '2026-07-01 12:00Z'] // prettier-ignore
    bench.writeFile('oslo.csv', `id,v\n${texts.map((text, i) => `${i},${text}\n`).join('')}`)
    const job = fileJob(
      'oslo',
      'oslo.csv',
      `{connection: warehouse, table: ${table}, write: append}`,
      'rejects: keep',
    )
      .replace(
        'parts:',
        'slices: {every: P1D, zone: Europe/Oslo, from: "2026-01-01", until: "2026-01-02"}\nparts:',
      )
      .replace('each: {', 'each: {slices: false, ')
    await bench.load(job)
    expect(
      await bench.rows(`select id, (v at time zone 'UTC')::text as v from ${table} order by id`),
    ).toEqual([
      { id: 0, v: '2026-03-29 00:59:59' },
      { id: 2, v: '2026-03-29 01:00:00' },
      { id: 3, v: '2026-07-01 10:00:00' },
      { id: 4, v: '2026-10-25 01:30:00' },
      { id: 5, v: '2026-07-01 12:00:00' },
    ])
  })

  it('time: to the microsecond', async () => {
    const texts = [
      '10:30',
      '23:59:59.999999',
      '24:00:00',
      '10:00:60',
      '10:00:00.1234567',
      '7:05',
      'noon',
      ...sample(clockText, 15),
    ]
    const outcome = await load('time', texts)
    const kept = parted(texts, outcome)
    expect(kept).toEqual(expect.arrayContaining(['10:30', '23:59:59.999999', '7:05']))
    for (const text of ['24:00:00', '10:00:60', '10:00:00.1234567', 'noon']) expect(kept).not.toContain(text)
    expect(await changed(outcome, texts, 'v = t::time')).toEqual([])
  })
})

describe('what the table itself refuses is a reject, all of it, at its own line', () => {
  it('an enum, a domain, a type that only Postgres knows', async () => {
    const moods = ['ok', 'glad', 'sad', '', 'OK']
    expect(parted(moods, await load('mood', moods))).toEqual(['ok', 'sad', ''])
    const numbers = ['2', '3', '4', 'x', '']
    expect(parted(numbers, await load('even', numbers))).toEqual(['2', '4', ''])
    const addresses = ['10.0.0.1/8', '10.0.0.300', '::1', 'home']
    expect(parted(addresses, await load('inet', addresses))).toEqual(['10.0.0.1/8', '::1'])
    const lists = ['{1,2}', '{1,', '[0:1]={1,2}', '{a}']
    expect(parted(lists, await load('int[]', lists))).toEqual(['{1,2}', '[0:1]={1,2}'])
    const bytes = ['\\x00ff', '\\x0', '\\xzz', 'abc']
    expect(parted(bytes, await load('bytea', bytes))).toEqual(['\\x00ff', 'abc'])
    const spans = ['1 day 02:00', 'P1DT2H', 'soon', '-3 mons']
    expect(parted(spans, await load('interval', spans))).toEqual(['1 day 02:00', 'P1DT2H', '-3 mons'])
  })

  it('not null, checks, keys twice in the file and in the table, references', async () => {
    await bench.rows('create table makers (code text primary key)')
    await bench.rows("insert into makers values ('a'), ('b')")
    await bench.rows(
      'create table pumps (id int primary key, maker text not null references makers, head numeric(5,1) constraint positive check (head > 0), serial text unique)',
    )
    await bench.rows("insert into pumps values (100, 'a', 1, 's100')")
    const rows = ['1,a,1.5,s1', '2,,2.5,s2', '3,z,3.5,s3', '4,a,-1,s4', '1,b,2,s5', '100,b,2,s6', '7,b,2,s1', '8,z,-2,s8', '9,b,9.99,s9', '10,b,,', '11,b,,'] // prettier-ignore
    bench.writeFile('pumps.csv', `id,maker,head,serial\n${rows.join('\n')}\n`)
    const run = await bench.load(
      fileJob('pumps', 'pumps.csv', '{connection: warehouse, table: pumps, write: append}', 'rejects: keep'),
    )
    expect(await bench.rows('select id from pumps order by id')).toEqual(
      [1, 10, 11, 100].map((id) => ({ id })),
    )
    const [step] = await bench.own(
      'select s.reject_file, l.read::int, l.written::int, l.rejected::int from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
      [run],
    )
    expect(step).toMatchObject({ read: 11, written: 3, rejected: 8 })
    const [, ...kept] = csvRecords(
      readFileSync(`${bench.folder}/rejects/${step!.reject_file as string}`, 'utf8'),
    )
    expect(kept.map(([, line, , reason, raw]) => [Number(line), reason, raw])).toEqual([
      [3, 'maker is empty, and may not be', rows[1]],
      [4, 'is not in makers, which pumps_maker_fkey asks for', rows[2]],
      [5, 'breaks the check positive: (head > (0)::numeric)', rows[3]],
      [6, 'the same id stands in an earlier row, and pumps_pkey allows it once', rows[4]],
      [7, 'the same id is in the table already, and pumps_pkey allows it once', rows[5]],
      [8, 'the same serial stands in an earlier row, and pumps_serial_key allows it once', rows[6]],
      [9, 'breaks the check positive: (head > (0)::numeric); is not in makers, which pumps_maker_fkey asks for', rows[7]],
      [10, 'head "9.99" does not fit numeric(5,1)', rows[8]],
    ]) // prettier-ignore
  })

  it('lines are those of the file: quoted line breaks, comments, blank lines, several files', async () => {
    await bench.rows('create table lined (id int, note text)')
    bench.writeFile(
      'lined_1.csv',
      '\uFEFFid,note\r\n1,"two\r\nlines"\r\n\r\nx,bad\r\nshort\r\n3,ok\r\ny,"also\r\nbad"\r\n',
    )
    bench.writeFile('lined_2.csv', 'id,note\n1,"a\nb\nc"\nz,bad\n')
    const run = await bench.load(
      fileJob('lined', 'lined_*.csv', '{connection: warehouse, table: lined, write: append}', 'rejects: keep').replace('{row.file}', 'lined_*.csv'),
    ) // prettier-ignore
    const [step] = await bench.own(
      'select s.reject_file from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
      [run],
    )
    const [, ...kept] = csvRecords(
      readFileSync(`${bench.folder}/rejects/${step!.reject_file as string}`, 'utf8'),
    )
    expect(kept.map(([file, line, , , raw]) => [file, Number(line), raw])).toEqual([
      ['lined_1.csv', 5, 'x,bad'],
      ['lined_1.csv', 6, 'short'],
      ['lined_1.csv', 8, 'y,"also\r\nbad"'],
      ['lined_2.csv', 5, 'z,bad'],
    ])
  })
})

it('a row that the table refuses is found although the reading is broken off by it, broken lines and all', async () => {
  await bench.rows('create table many (id int primary key, note text)')
  // more than COPY and the pipe hold between them, so that the refusal comes while the file is still read
  const lines = Array.from({ length: 120_000 }, (_, i) => `${i === 90_000 ? 5 : i},${'x'.repeat(20)}`)
  lines[100] = 'short'
  lines[119_000] = 'no,number'
  bench.writeFile('many.csv', `id,note\n${lines.join('\n')}\n`)
  const run = await bench.load(
    fileJob('many', 'many.csv', '{connection: warehouse, table: many, write: append}', 'rejects: keep'),
  )
  const [step] = await bench.own(
    'select l.state, l.error, l.read::int, l.written::int, l.rejected::int, s.reject_file from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
    [run],
  )
  expect(step).toMatchObject({ state: 'done', read: 120_000, written: 119_997, rejected: 3 })
  const [, ...kept] = csvRecords(
    readFileSync(`${bench.folder}/rejects/${step!.reject_file as string}`, 'utf8'),
  )
  expect(kept.map(([, line]) => Number(line))).toEqual([102, 90_002, 119_002])
})

it('a column may be called anything: its name is never a piece of a statement', async () => {
  const name = `a$$; drop table odd; --'"b\\`
  const quotedName = `"${name.replaceAll('"', '""')}"`
  await bench.rows(`create table odd (id int unique, ${quotedName} mood, "first" int, n text)`)
  bench.writeFile(
    'odd.csv',
    `id,"${name.replaceAll('"', '""')}",first,n\n1,ok,1,x\n2,glad,2,y\n3,ok,many,z\n1,sad,4,w\n`,
  )
  await bench.load(
    fileJob('odd', 'odd.csv', '{connection: warehouse, table: odd, write: append}', 'rejects: keep'),
  )
  expect(await bench.rows(`select id, ${quotedName}::text as v from odd order by id`)).toEqual([
    { id: 1, v: 'ok' },
  ])
})

describe('the rest', () => {
  it('text is not cut, and keeps blanks, quotes and emptiness', async () => {
    const texts = [
      '',
      ' ',
      'a',
      '12345',
      '123456',
      '12345 ',
      'ünïcö',
      '😀😀😀😀😀',
      'o\'b"c',
      'a\nb',
      '\\N',
      'NULL',
    ]
    const outcome = await load('varchar(5)', texts)
    parted(texts, outcome)
    expect(await changed(outcome, texts, 'v = t')).toEqual([])
    expect([...outcome.rejected.values()].sort()).toEqual([
      'v "12345 " does not fit character varying(5)',
      'v "123456" does not fit character varying(5)',
    ])
    const free = await load('text', texts)
    expect(free.rejected.size).toBe(0)
    expect(await changed(free, texts, 'v = t')).toEqual([])
  })

  it('booleans, uuids and JSON', async () => {
    const words = ['true', 'F', 'Yes', 'off', '1', '0', 'maybe', '2', 'wahr', '']
    const flags = await load('boolean', words)
    expect(parted(words, flags)).toEqual(['true', 'F', 'Yes', 'off', '1', '0', ''])
    expect(await changed(flags, words, 't::boolean = v')).toEqual([])
    const ids = [
      'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11',
      'A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11',
      'no-uuid',
      '',
    ]
    expect(parted(ids, await load('uuid', ids))).toEqual([ids[0], ids[1], ''])
    const documents = ['{"a": 12345678901234567890.123456789}', '[1, 2', '"x"', 'null', '']
    const json = await load('jsonb', documents)
    expect(parted(documents, json)).toEqual([documents[0], '"x"', 'null', ''])
    expect(json.arrived.get(0)).toBe('{"a": 12345678901234567890.123456789}')
  })
})
