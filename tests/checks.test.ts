import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { sameNumber } from '../core/value'
import type { CheckRecord } from '../database/schema'
import { testBench, type TestBench } from './support/bench'

// Every kind of check against a real table: what holds, what does not with the rows that show it, and what the load does.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
  await bench.rows(`create table public.item (id int, kind text, code text, size numeric, day date)`)
  await bench.rows(`insert into public.item values (1, 'pump', 'AB12', 0.5, '2026-01-01'), (2, 'valve', 'CD3', 10, '2026-01-02'),
    (3, 'pump', 'ef4', 10.1, '2026-02-01'), (4, null, null, null, null), (5, 'odd', E'AB1\nx', 'NaN', '2025-12-31')`)
  await bench.rows(`create table public.kind (name text primary key)`)
  await bench.rows(`insert into public.kind values ('pump'), ('valve')`)
})
afterAll(() => bench.close())

let jobs = 0
async function check(that: string, more = '', before = '') {
  const run = await bench.load(`
mattock: job/1
name: check-${++jobs}
title: Check
parameters:
  total: {type: text, default: '30.60'}
parts:
  - once:
${before}      - {id: look, check: {on: warehouse, table: public.item, that: [${that}]${more}}}
      - {id: after, log: {text: 'after'}}
`)
  const [row] = await bench.own(
    `select l.state, l.error, s.checks, s.log, (select count(*)::int from mattock.load_step a where a.load_id = l.id and a.step = 'after' and a.state = 'done') as after
     from mattock.load l left join mattock.load_step s on s.load_id = l.id and s.step = 'look' where l.run_id = $1`,
    [run],
  )
  const checks = (row!.checks ?? []) as CheckRecord[]
  return {
    run,
    state: row!.state as string,
    after: row!.after as number,
    error: row!.error as { code: string; message: string; advice: string; rows?: { id: string }[] } | null,
    checks,
    ids: (checks.find(({ holds }) => !holds)?.rows ?? []).map(({ id }) => Number(id)).sort(),
  }
}

describe('a check of rows', () => {
  it.each([
    [`{one_of: {column: kind, values: [pump, valve, odd]}}`, []],
    [`{one_of: {column: kind, values: [pump, valve]}}`, [5]],
    [`{one_of: {column: id, values: [1, 2, 3, 4]}}`, [5]],
    [`{one_of: {column: kind, values: ["o'dd", 'pump', 'valve', '{}', ',']}}`, [5]],
    [`{in_range: {column: size, from: 0, to: 10}}`, [3, 5]],
    [`{in_range: {column: size, from: 0.5}}`, []],
    [`{in_range: {column: size, from: 0.51}}`, [1]],
    [`{in_range: {column: day, from: '2026-01-01', to: '2026-01-31'}}`, [3, 5]],
    [`{pattern: {column: code, matches: '[A-Z]{2}[0-9]+'}}`, [3, 5]],
    [`{pattern: {column: code, matches: '(?i)[A-Z]{2}[0-9]+'}}`, [5]],
    [`{pattern: {column: code, matches: 'AB.*|CD.|ef4'}}`, []],
    [`{references: {columns: [kind], table: public.kind, to: [name]}}`, [5]],
    [`{references: {columns: [id], table: public.item}}`, []],
  ])('%s', async (that, ids) => {
    const done = await check(that)
    expect(done.ids).toEqual(ids)
    expect(done.state).toBe(ids.length === 0 ? 'done' : 'failed')
    expect(done.error?.code).toBe(ids.length === 0 ? undefined : 'check')
    expect(done.after).toBe(ids.length === 0 ? 1 : 0)
  })

  it('says all that does not hold, with rows of the first that has some', async () => {
    const { error } = await check(
      `{rows: {at_least: 9}}, {one_of: {column: kind, values: [pump, valve]}}, {not_null: [id]}`,
    )
    expect(error!.message).toBe(
      '2 of 3 checks do not hold: 5 rows in public.item, at least 9 are expected; 1 row of public.item: kind is none of pump, valve',
    )
    expect(error!.rows).toHaveLength(1)
  })

  it('goes on where that is said, keeps what does not hold, and the run tells it', async () => {
    const done = await check(`{one_of: {column: kind, values: [pump, valve]}}`, ', on_failure: go-on')
    expect(done).toMatchObject({ state: 'done', after: 1, error: null, ids: [5] })
    expect(done.checks[0]).toMatchObject({
      kind: 'one_of',
      holds: false,
      text: 'kind one of pump, valve',
      why: '1 row of public.item: kind is none of pump, valve',
    })
    expect(
      await bench.own(`select broken from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1 and s.step = 'look'`, [done.run]),
    ).toEqual([{ broken: 1 }])
  }) // prettier-ignore

  it('of rows that are about to be written leaves the target as it was', async () => {
    await bench.rows('create table public.copied (id int, kind text)')
    const run = await bench.load(`
mattock: job/1
name: staged
title: Staged
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: warehouse, query: 'select id, kind from public.item'}
          into: {connection: warehouse, table: public.copied, write: append}
          check: [{one_of: {column: kind, values: [pump, valve]}}, {in_range: {column: id, to: 4}}, {references: {columns: [kind], table: public.kind, to: [name]}}]
`)
    const [{ error }] = (await bench.own('select error from mattock.load where run_id = $1', [run])) as [{ error: { message: string } }] // prettier-ignore
    expect(error.message).toContain('3 of 3 checks do not hold: 1 row of what was read: kind is none of')
    expect(await bench.rows('select * from public.copied')).toEqual([])
  })
})

describe('a query that must give no rows', () => {
  it('holds, or fails with the rows that it gives; values are bound', async () => {
    expect((await check(`{none: {query: "select * from public.item where kind = {param.total}"}}`)).state).toBe('done') // prettier-ignore
    const broken = await check(`{none: {query: "select id from public.item where id > 3 order by id;"}}`)
    expect(broken.ids).toEqual([4, 5])
    expect(broken.error!.message).toBe('the query gives 2 rows, and none is meant')
  })

  it('changes nothing, whatever it calls', async () => {
    await bench.rows(`create function public.sly() returns setof int language sql as $$ delete from public.kind returning 1 $$`) // prettier-ignore
    const done = await check(`{none: {query: 'select * from public.sly()'}}`)
    expect(done.state).toBe('failed')
    expect(done.error!.message).toContain('read-only transaction')
    expect(await bench.rows('select count(*)::int as n from public.kind')).toEqual([{ n: 2 }])
  })
})

describe('equal to the source', () => {
  it.each([
    [`select count(*), sum(size) filter (where id < 4) from public.item`, `select 5, 20.60`, undefined],
    [`select count(*) from public.item`, `select 6`, 'count is 5 here and 6 on warehouse'],
    [`select 0.1::numeric + 0.2::numeric as total`, `select 0.3::numeric`, undefined],
    [
      `select 12345678901234567890.1 as total`,
      `select 12345678901234567890.2`,
      'total is 12345678901234567890.1 here',
    ],
    [`select 1e20::float8 as total`, `select 100000000000000000000::numeric`, undefined],
    [`select null::int as total`, `select 0`, 'total is empty here and 0 on warehouse'],
    [`select max(day) as day from public.item`, `select date '2026-02-01'`, undefined],
    [`select 1, 2`, `select 1`, 'the query here gives 2 values, the one on warehouse 1'],
  ])('%s against %s', async (here, there, why) => {
    const done = await check(`{equals: {query: "${here}", on: warehouse, to: "${there}"}}`)
    if (why === undefined) expect(done.error).toBe(null)
    else expect(done.error!.message).toContain(why)
  })

  it('asks for one row', async () => {
    const done = await check(`{equals: {query: 'select id from public.item', on: warehouse, to: 'select 1'}}`)
    expect(done.error).toMatchObject({ code: 'not-one-row' })
  })
})

describe('a control total', () => {
  const sum = `query: 'select sum(size) + 10 from public.item where id < 4'`
  it('is given by a parameter', async () => {
    expect((await check(`{total: {${sum}, is: '{param.total}'}}`)).error).toBe(null)
    expect((await check(`{total: {${sum}, is: '30.61'}}`)).error!.message).toContain(
      '30.6, and 30.61 is said',
    )
  })

  it('is said by a file, whole or found in it', async () => {
    mkdirSync(join(bench.drop, 'totals'), { recursive: true })
    writeFileSync(join(bench.drop, 'totals/plain.txt'), '\uFEFF30.600\r\n')
    writeFileSync(join(bench.drop, 'totals/end.txt'), 'RECORDS=5\nTOTAL=31.60\n')
    expect((await check(`{total: {${sum}, store: drop, file: totals/plain.txt}}`)).error).toBe(null)
    const other = await check(`{total: {${sum}, store: drop, file: totals/end.txt, find: 'TOTAL=(\\S+)'}}`)
    expect(other.error!.message).toContain('30.6, and 31.60 is said by totals/end.txt')
    const none = await check(`{total: {${sum}, store: drop, file: totals/end.txt, find: 'SUM=(.*)'}}`)
    expect(none.error!.message).toContain('says nothing that SUM=(.*) finds')
    expect((await check(`{total: {${sum}, store: drop, file: 'totals/*.txt'}}`)).error!.message).toContain('2 files')
    expect((await check(`{total: {${sum}, store: drop, file: totals/no.txt}}`)).error!.code).toBe('no-file')
  }) // prettier-ignore
})

describe('about as many as usual', () => {
  it('knows no usual number at first, then holds what is near the median, and not what is far', async () => {
    await bench.rows('create table public.daily (n int)')
    const job = `
mattock: job/1
name: usual
title: Usual
parts:
  - each: {roster: {rows: [{feed: a}, {feed: b}]}, at_once: 1}
    do:
      - {id: look, check: {on: warehouse, table: public.daily, that: [{usual: {query: "select n from public.daily where {row.feed} <> ''", within: 0.3}}]}}
`
    const once = async (n: number) => {
      await bench.rows('truncate public.daily')
      await bench.rows('insert into public.daily values ($1)', [n])
      const run = await bench.load(job)
      return await bench.own(
        `select l.state, l.error ->> 'message' as message, s.checks -> 0 ->> 'note' as note from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1 order by l.number`,
        [run],
      )
    }
    for (const n of [100, 1000, 110]) expect((await once(n))[0]).toMatchObject({ state: 'done', note: expect.stringContaining('no usual number is known') }) // prettier-ignore
    // the median of 100, 1,000 and 110 is 110: one odd day counts for little
    expect((await once(90))[0]).toMatchObject({ state: 'done', note: null })
    const far = await once(40)
    expect(far.map(({ state }) => state)).toEqual(['failed', 'failed'])
    expect(far[0]!.message).toContain('40 rows in public.daily, and 105 are usual (the median of 4 loads)')
  })
})

describe('numbers of databases', () => {
  it('are the same by their value, exactly', () => {
    fc.assert(
      fc.property(fc.bigInt(), fc.nat(30), fc.nat(5), (whole, places, more) => {
        const text = (value: bigint) => {
          const digits = (value < 0n ? -value : value).toString().padStart(places + 1, '0')
          return `${value < 0n ? '-' : ''}${digits.slice(0, digits.length - places)}${places ? `.${digits.slice(digits.length - places)}` : ''}`
        }
        const one = text(whole)
        const longer = places ? one + '0'.repeat(more) : one
        return sameNumber(one, longer) && !sameNumber(one, text(whole + 1n))
      }),
    )
    expect(sameNumber('-0', '0.00')).toBe(true)
    expect(sameNumber('1e3', '1000')).toBe(true)
    expect(sameNumber('NaN', 'NaN')).toBe(true)
    expect(sameNumber('', '0')).toBe(false)
  })
})
