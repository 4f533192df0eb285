import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { testBench, type TestBench } from './support/bench'

// A slice meets a column of a database: whatever the column's type, the zone and the length of the slices, a load reads,
// deletes and writes the rows of its own slice and no others. Judged by Postgres: a local time belongs to the slice that
// holds the moment which `at time zone` makes of it (manual, 9.9.4).

let bench: TestBench
let made = 0
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
  await bench.rows("alter database " + new URL(bench.warehouseUrl).pathname.slice(1) + " set timezone to 'Asia/Tokyo'") // prettier-ignore
  await bench.rows('select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()') // prettier-ignore
})
afterAll(() => bench.close())

/** Zones on both sides of UTC, with days around a change of the clock (IANA time zone database). */
const zones = [
  { zone: 'Europe/Oslo', days: '2026-10-24/2026-10-27', change: 'an hour comes twice' },
  { zone: 'Europe/Oslo', days: '2026-03-28/2026-03-31', change: 'an hour is left out' },
  { zone: 'America/St_Johns', days: '2026-10-31/2026-11-03', change: 'half hours west, an hour comes twice' },
  { zone: 'Asia/Kolkata', days: '2026-11-02/2026-11-05', change: 'half hours east, none' },
  { zone: 'Australia/Lord_Howe', days: '2026-04-04/2026-04-07', change: 'half an hour comes twice' },
  { zone: 'America/Havana', days: '2026-10-31/2026-11-03', change: 'midnight comes twice' },
  { zone: 'Asia/Beirut', days: '2026-03-28/2026-03-31', change: 'midnight is left out' },
  { zone: 'Pacific/Apia', days: '2011-12-28/2012-01-02', change: 'a day is left out' },
] as const
const lengths = ['P1D', 'PT6H', 'PT1H', 'PT15M'] as const
const types = ['timestamptz', 'timestamp', 'date'] as const

const jobOf = (name: string, every: string, zone: string, steps: string, from = '2011-01-01') => `
mattock: job/1
name: ${name}
title: ${name}
slices: {every: ${every}, zone: ${zone}, from: ${from}}
parts:
  - each: {roster: {rows: [{a: 1}]}, at_once: 3}
    do:
${steps}
`

const whereSlice = 'at >= {slice.from} and at < {slice.to}'
/** Ways in which a slice meets the column \`at\` of table \`t\`; each leaves the label of its slice in \`v\`. */
const ways = {
  'replace-slice': (t: string) => `
      - id: replace
        transfer:
          from: {connection: warehouse, query: "select at, n, {slice.label} as v from public.${t}_source where ${whereSlice}"}
          into: {connection: warehouse, table: public.${t}, write: replace-slice, slice_by: at, allow_empty: true, deletes_at_most: any}`,
  statements: (t: string) => `
      - id: change
        sql: {on: warehouse, text: "delete from public.${t} where ${whereSlice}; insert into public.${t} select at, n, {slice.label} from public.${t}_source where at between {slice.from} and {slice.to} and at <> {slice.to}"}`,
  'a value for later': (t: string) => `
      - id: numbers
        set: {on: warehouse, query: "select coalesce(array_agg(n), '{{}}')::text as list from public.${t}_source where ${whereSlice}"}
      - id: change
        sql: {on: warehouse, text: "update public.${t} set v = {slice.label} where n = any ({step[\\"numbers\\"].value.list}::int[])"}`,
} as const

/** Of short slices, those of the day of the change: the second of the days. */
function spanOf(days: string, every: string): string {
  if (every === 'P1D' || every === 'PT6H') return days
  const [second, third] = [1, 2].map((n) => new Date(Date.parse(days.slice(0, 10)) + n * 86_400_000).toISOString().slice(0, 10)) // prettier-ignore
  return `${second}/${third}`
}

async function planOf(document: string, span: string) {
  const { job } = await saveJob(bench.engine, document, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test', span })
  const [row] = await bench.own('select findings from mattock.plan where id = $1', [id])
  return { id, findings: row!.findings as { code: string; level: string; message: string }[] }
}

describe.each(zones)('$zone, where $change', ({ zone, days }) => {
  const [first, last] = days.split('/') as [string, string]
  describe.each(types)('a column of type %s', (type) => {
    it.each(lengths)('keeps the rows of other slices, of slices of %s', async (every) => {
      if (type === 'date' && every !== 'P1D') {
        for (const way of ['replace-slice', 'statements'] as const) {
          await bench.rows('drop table if exists public.cut, public.cut_source')
          await bench.rows('create table public.cut (at date, n int, v text); create table public.cut_source (at date, n int)') // prettier-ignore
          const { findings } = await planOf(jobOf('cut', every, zone, ways[way]('cut')), days)
          expect(findings.filter(({ code }) => code === 'time-column')).toMatchObject([{ level: 'stop' }, ...(way === 'statements' ? [] : [{ level: 'stop' }])]) // prettier-ignore
        }
        return
      }
      for (const way of (Object.keys(ways) as (keyof typeof ways)[]).slice(0, every === 'PT15M' ? 2 : 3)) {
        // a local time is what the zone's clock shows, so that of an hour that comes twice both are there
        const value =
          type === 'timestamptz'
            ? 'at'
            : type === 'timestamp'
              ? `(at at time zone '${zone}')`
              : `(at at time zone '${zone}')::date`
        await bench.rows('drop table if exists public.t, public.t_source')
        await bench.rows(`create table public.t_source as select ${value}::${type} as at, row_number() over ()::int as n
          from generate_series($$${first}$$::timestamp at time zone '${zone}' - interval '26 hours', $$${last}$$::timestamp at time zone '${zone}' + interval '26 hours', interval '450 seconds') at`) // prettier-ignore
        await bench.rows(`create table public.t as select at, n, 'before' as v from public.t_source`)
        const run = await bench.load(jobOf(`meets-${++made}`, every, zone, ways[way]('t')), {
          span: spanOf(days, every),
        })
        const loads = await bench.own(`select state, slice_label, slice_from, slice_to, error from mattock.load where run_id = $1`, [run]) // prettier-ignore
        expect(loads.filter(({ state }) => state !== 'done')).toEqual([])
        const moment = type === 'timestamptz' ? 't.at' : `(t.at::timestamp at time zone '${zone}')`
        const truth = `select t.at, t.n, coalesce(s.label, 'before') as v from public.t_source t
          left join jsonb_to_recordset($1) s(label text, slice_from timestamptz, slice_to timestamptz) on ${moment} >= s.slice_from and ${moment} < s.slice_to`
        const slices = JSON.stringify(loads.map((one) => ({ label: one.slice_label, slice_from: one.slice_from, slice_to: one.slice_to }))) // prettier-ignore
        expect([way, await bench.rows(`(select at::text, n, v from public.t except all select at::text, n, v from (${truth}) x) limit 5`, [slices])]).toEqual([way, []]) // prettier-ignore
        expect([way, await bench.rows(`(select at::text, n, v from (${truth}) x except all select at::text, n, v from public.t) limit 5`, [slices])]).toEqual([way, []]) // prettier-ignore
        expect(await bench.rows(`select count(*)::int as n from public.t where v <> 'before'`)).not.toEqual([{ n: 0 }]) // prettier-ignore
      }
    })
  })
})

/** A file of one day loaded into a table by day, in Oslo. */
const dayFile = (name: string, more = '', column = 'day') => `
mattock: job/1
name: ${name}
title: ${name}
slices: {every: P1D, zone: Europe/Oslo, from: 2026-11-01}
parts:
  - each: {roster: {rows: [{a: 1}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "${name}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: warehouse, table: public.${name.replaceAll('-', '_')}, write: replace-slice, slice_by: ${column}${more}}
`
const loadOf = async (run: number) => (await bench.own('select state, error from mattock.load where run_id = $1', [run]))[0] as { state: string; error: { code: string; message: string } | null } // prettier-ignore

describe('replacing', () => {
  const day = (n: number) => `2026-11-0${n}/2026-11-0${n + 1}`
  const fileOf = (name: string, n: number, rows: number) =>
    bench.writeFile(`${name}_2026110${n}.csv`, ['day,v', ...Array.from({ length: rows }, (_, i) => `2026-11-0${n},${i}`)].join('\n') + '\n') // prettier-ignore

  it('takes the file of its own day, and deletes nothing of another', async () => {
    await bench.rows('create table public.own_day (day date, v int)')
    for (const n of [3, 4, 5]) {
      fileOf('own-day', n, 10 + n)
      expect(await loadOf(await bench.load(dayFile('own-day'), { span: day(n) }))).toMatchObject({
        state: 'done',
      })
    }
    const counts = `select day::text, count(*)::int as n from public.own_day group by 1 order by 1`
    const before = await bench.rows(counts)
    expect(before).toEqual([3, 4, 5].map((n) => ({ day: `2026-11-0${n}`, n: 10 + n })))
    // a file with a header and no rows
    fileOf('own-day', 5, 0)
    const empty = await loadOf(await bench.load(dayFile('own-day'), { span: day(5) }))
    expect(empty).toMatchObject({ state: 'failed', error: { code: 'deletes-all' } })
    expect(empty.error!.message).toBe('no rows arrived, and the load would delete 15 rows of public.own_day in the slice 2026-11-05') // prettier-ignore
    expect(await bench.rows(counts)).toEqual(before)
    const allowed = await loadOf(
      await bench.load(dayFile('own-day', ', allow_empty: true'), { span: day(5) }),
    )
    expect(allowed.state).toBe('done')
    expect(await bench.rows(counts)).toEqual(before.slice(0, 2))
    // an empty slice stays empty
    expect((await loadOf(await bench.load(dayFile('own-day'), { span: day(5) }))).state).toBe('done')
  })

  it('says which value lies outside the slice, and its span', async () => {
    await bench.rows('create table public.outside (day date, v int)')
    bench.writeFile('outside_20261103.csv', 'day,v\n2026-11-03,1\n2026-11-04,2\n')
    const { error } = await loadOf(await bench.load(dayFile('outside'), { span: day(3) }))
    expect(error).toMatchObject({ code: 'outside-slice', message: '1 row with day outside the slice 2026-11-03 (2026-11-03 00:00 to 2026-11-04 00:00, Europe/Oslo), such as 2026-11-04' }) // prettier-ignore
  })

  it('deletes no more than a slice usually has, unless the job says so', async () => {
    await bench.rows('create table public.many (day date, v int)')
    for (const n of [1, 2, 3]) {
      fileOf('many', n, 10)
      expect((await loadOf(await bench.load(dayFile('many'), { span: day(n) }))).state).toBe('done')
    }
    await bench.rows(`insert into public.many select '2026-11-04', g from generate_series(1, 31) g`)
    fileOf('many', 4, 10)
    const { error } = await loadOf(await bench.load(dayFile('many'), { span: day(4) }))
    expect(error).toMatchObject({ code: 'deletes-many', message: 'the load would delete 31 rows of public.many in the slice 2026-11-04, and a slice usually has 10 rows: more than 3 times as many' }) // prettier-ignore
    expect(await bench.rows(`select count(*)::int as n from public.many`)).toEqual([{ n: 61 }])
    expect((await loadOf(await bench.load(dayFile('many', ', deletes_at_most: any'), { span: day(4) }))).state).toBe('done') // prettier-ignore
    expect(await bench.rows(`select count(*)::int as n from public.many`)).toEqual([{ n: 40 }])
  })

  it('of all rows by none needs the job to allow it', async () => {
    const whole = (more = '') => `
mattock: job/1
name: whole
title: whole
parts:
  - once:
      - id: bring-in
        transfer:
          from: {connection: warehouse, query: "select 1 as v where false"}
          into: {connection: warehouse, table: public.whole, write: replace-all${more}}
`
    await bench.rows('create table public.whole (v int); insert into public.whole values (1), (2)')
    expect((await loadOf(await bench.load(whole()))).error).toMatchObject({ code: 'deletes-all', message: 'no rows arrived, and the load would delete 2 rows of public.whole' }) // prettier-ignore
    expect(await bench.rows('select count(*)::int as n from public.whole')).toEqual([{ n: 2 }])
    expect((await loadOf(await bench.load(whole(', allow_empty: true')))).state).toBe('done')
    expect(await bench.rows('select count(*)::int as n from public.whole')).toEqual([{ n: 0 }])
  })
})

describe('a plan says where a point in time has no place', () => {
  const steps = (text: string) => `      - {id: does, sql: {on: warehouse, text: ${JSON.stringify(text)}}}`
  const codes = async (text: string, every = 'PT6H') =>
    (await planOf(jobOf(`place-${++made}`, every, 'Europe/Oslo', steps(text)), '2026-11-03/2026-11-04')).findings.filter(({ code }) => code === 'time-column') // prettier-ignore
  beforeAll(() => bench.rows('create domain public.its_day as date; create table public.place (day date, own public.its_day, at timestamp, zoned timestamptz, label text, n int)')) // prettier-ignore

  it.each([
    ['delete from public.place where label = {slice.from}', /another type: operator does not exist: text = timestamp with time zone.*\{date\(…\)\}/],
    ['delete from public.place where n >= {slice.from}', /another type: operator does not exist: integer >= timestamp with time zone/],
    ['delete from public.place where day = {slice.from}', /meets a date, and 2026-11-03 06:00 in Europe\/Oslo is not the start of a day\. Write \{date\(…\)\}/],
    ['delete from public.place where own = {slice.from}', /meets a date, and 2026-11-03 06:00/],
    ['insert into public.place (day) values ({slice.from})', /meets a date, and 2026-11-03 06:00/],
    ['create temporary table x on commit drop as select 1; delete from public.place where day between {slice.from} and {slice.to}', /meets a date/],
    ['delete from public.place where day in {list(slice.from, slice.to)}', /meets a date/],
  ])('%s', async (text, message) => {
    const found = await codes(text)
    expect(found).toHaveLength(1)
    expect(found[0]).toMatchObject({ level: 'stop', message: expect.stringMatching(message) as string })
  }) // prettier-ignore

  it.each([
    'delete from public.place where day = {date(slice.from)}',
    'delete from public.place where day = {slice.from}::date',
    'delete from public.place where at >= {slice.from} and at < {slice.to}',
    'delete from public.place where at >= {local(slice.from)} and zoned < {slice.to}',
    `delete from public.place where label = {format(slice.from, 'yyyy')}`,
    'delete from public.place where label = {slice.from}::text',
    'delete from public.place where zoned between {slice.from} and {slice.to}',
    'insert into public.place (at, zoned) values ({slice.from}, {slice.to})',
    'create temporary table made_here (day date) on commit drop; delete from made_here where day = {slice.from}',
  ])('and is content with %s', async (text) => expect(await codes(text)).toEqual([]))

  it('and with whole days', async () => {
    expect(
      await codes('delete from public.place where day >= {slice.from} and day < {slice.to}', 'P1D'),
    ).toEqual([])
    const offset = jobOf('offset', 'P1D', 'Europe/Oslo', steps('delete from public.place where day = {slice.from}')).replace('from: 2011-01-01', 'from: 2011-01-01, offset: PT6H') // prettier-ignore
    expect((await planOf(offset, '2026-11-03/2026-11-06')).findings.map(({ code }) => code)).toContain(
      'time-column',
    )
  })

  it('of the column that a slice is replaced by, too, and a load refuses it where the plan could not know', async () => {
    bench.writeFile('worded_20261103.csv', 'day,v\n2026-11-03,1\n')
    await bench.rows('create table public.worded (day text, v int)')
    const { findings } = await planOf(dayFile('worded'), '2026-11-03/2026-11-04')
    const [found] = findings.filter(({ code }) => code === 'time-column')
    expect(found).toMatchObject({ level: 'stop', message: expect.stringContaining('slice_by names day of public.worded, which holds no time') as string }) // prettier-ignore
  })
})

it('checks, rosters and values for later go by the zone of the job as well', async () => {
  await bench.rows('create table public.by_day (day date); create table public.seen (what text, n int)')
  await bench.rows(`insert into public.by_day select d from generate_series(date '2026-11-01', date '2026-11-06', '1 day') d`) // prettier-ignore
  const where = 'from public.by_day where day >= {slice.from} and day < {slice.to}'
  const run = await bench.load(
    jobOf('zoned', 'P1D', 'Europe/Oslo', `
      - {id: one, set: {on: warehouse, query: "select max(day)::text as day ${where}"}}
      - {id: keep, sql: {on: warehouse, text: 'insert into public.seen values ({step["one"].value.day}, 1)'}}
      - {id: held, check: {on: warehouse, table: public.by_day, that: [
          {total: {query: "select count(*) ${where}", is: "1"}},
          {none: {query: "select * from public.by_day where day = {slice.from} and day <> {date(slice.from)}"}},
          {equals: {query: "select max(day), max(day)::timestamptz ${where}", on: warehouse, to: "select max(day), max(day)::timestamptz ${where}"}}]}}`),
    { span: '2026-11-03/2026-11-04' },
  ) // prettier-ignore
  expect(await loadOf(run)).toMatchObject({ state: 'done', error: null })
  expect(await bench.rows('select * from public.seen')).toEqual([{ what: '2026-11-03', n: 1 }])
})
