import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveSettings } from '../engine/connectors/connections'
import { testBench, type TestBench } from './support/bench'
import { outcomeOf } from './support/outcome'

/** The same rule (values.test.ts) from table to table. */
let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker()
  await bench.rows("create type mood as enum ('sad', 'ok', 'happy')")
})
afterAll(() => bench.close())

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
    const { step, rejects } = await outcomeOf(bench, run)
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
        bench,
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
