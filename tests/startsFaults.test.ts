import { spawn, type ChildProcess } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { endChild } from '../cli/keep'
import { cronTimes } from '../core/schedule/cron'
import { closingsBetween } from '../core/slice/slices'
import { saveJob } from '../engine/jobs/versions'
import { until } from './support/faults'
import { testBench, type TestBench } from './support/bench'
import { silence } from './support/pace'

// A month of starts, played in seconds with a clock of its own: three servers are ended hard and begun again while it goes
// on, the clock of the zone is set forward within, and the clock of starts is set back now and then.

const program = join(import.meta.dirname, '../dist/main.js')
const begins = Date.parse('2026-03-08T12:00:00Z')
const ends = Date.parse('2026-04-08T12:00:00Z')
const hour = 3_600_000

let bench: TestBench
const servers: (ChildProcess | undefined)[] = []
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(6)
  await bench.own(`delete from mattock.pause where environment = 'dev'`)
  await bench.rows('create table public.told (job text, day date)')
})
afterAll(async () => {
  await Promise.all(servers.map(async (server) => server && (await endChild(server, 0))))
  await bench.close()
})

const setClock = async (at: number) =>
  await bench.own(`insert into mattock.shown_clock (real, shown, rate) values (clock_timestamp(), $1, 0) on conflict (id) do update set real = excluded.real, shown = excluded.shown`, [new Date(at).toISOString()]) // prettier-ignore

function beginServer(place: number): void {
  const data = join(bench.folder, `server-${place}`)
  mkdirSync(data, { recursive: true })
  servers[place] = spawn(process.execPath, [program, 'serve'], {
    env: { ...process.env, DATABASE_URL: bench.url, MATTOCK_DATA: data, MATTOCK_PORT: '0', ...silence(3), UV_THREADPOOL_SIZE: '16' },
    stdio: 'ignore',
  }) // prettier-ignore
}

const sql = (name: string, day: string) => `{id: tell, sql: {on: warehouse, text: "insert into public.told values ('${name}', ${day})"}}` // prettier-ignore
const job = (name: string, starts: string, more = '', day = 'null') => `
mattock: job/1
name: ${name}
title: ${name}
${more}starts: [${starts}]
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do: [${sql(name, day)}]
`
const slices = { every: 'P1D', zone: 'Europe/Oslo', from: '2026-01-01', grace: 'PT5H' }
/** Numbers from 0 to 1, the same each time. */
let state = 20260329
const draw = () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647

describe('a month with three servers that are ended hard', () => {
  it('no start is lost or comes twice, each slice is loaded once, each that is left out says why', async () => {
    await setClock(begins)
    const documents = [
      job('quarters', "{id: clock, clock: {cron: '0 */6 * * *', zone: Europe/Oslo}, missed: each}"),
      job('nightly', "{id: clock, clock: {cron: '30 2 * * *', zone: Europe/Oslo}, missed: each}"),
      job('days', '{id: day, slice: {}}', `slices: ${JSON.stringify(slices)}\n`, "{format(slice.from, 'yyyy-MM-dd')}::date"), // prettier-ignore
      job('after', '{id: then, ended: {job: days, as: ended}}'),
    ]
    for (const document of documents) await saveJob(bench.engine, document, { by: 'test' })
    for (let place = 0; place < 3; place++) beginServer(place)
    const known = async () => (await bench.own(`select count(*)::int as n from mattock.start_state where environment = 'dev' and (next_at is null or next_at > $1)`, [new Date(begins).toISOString()]))[0]!.n as number // prettier-ignore
    await until('the starts are known', async () => (await known()) === 4)
    let kills = 0
    for (let at = begins; at < ends;) {
      at = Math.min(ends, at + (0.5 + draw() * 20) * hour)
      await setClock(at)
      if (draw() < 0.2) await setClock(at - draw() * 3 * hour)
      if (draw() < 0.25) {
        const place = Math.floor(draw() * 3)
        servers[place]?.kill('SIGKILL')
        kills++
        beginServer(place)
      }
      await new Promise((resolve) => setTimeout(resolve, 250 + draw() * 350))
    }
    await setClock(ends)
    expect(kills).toBeGreaterThan(5)
    const open = async () =>
      (await bench.own(
        `select (select count(*) from mattock.occasion where environment = 'dev' and state = 'due')::int + (select count(*) from mattock.ended_run)::int
           + (select count(*) from mattock.run where state in ('running', 'waiting'))::int
           + (select count(*) from mattock.start_state where environment = 'dev' and next_at <= $1)::int as n`, [new Date(ends).toISOString()]))[0]!.n as number // prettier-ignore
    await until('all is decided and done', async () => (await open()) === 0)
    const came = async (name: string) => await bench.own(`select o.key, o.at, o.state, o.why, o."from", o."to", o.run_id as run from mattock.occasion o where o.job = $1 and o.environment = 'dev' order by o.at, o.id`, [name]) // prettier-ignore
    const at = (rows: { at?: unknown }[]) => rows.map((row) => Date.parse(row.at as string))
    const told = async (name: string) => (await bench.rows('select count(*)::int as n from public.told where job = $1', [name]))[0]!.n // prettier-ignore

    for (const [name, expression] of [
      ['quarters', '0 */6 * * *'],
      ['nightly', '30 2 * * *'],
    ] as const) {
      const rows = await came(name)
      expect(at(rows)).toEqual(cronTimes({ expression, zone: 'Europe/Oslo' }, begins, ends))
      expect(new Set(rows.map(({ state: decided }) => decided))).toEqual(new Set(['started']))
      expect(await told(name)).toBe(rows.length)
    }
    const days = await came('days')
    // many that were left out at once are one line, which says how many
    const counted = days.reduce((sum, { why }) => sum + Number(/^(\d+) times since/.exec((why as string | null) ?? '')?.[1] ?? 1), 0)
    expect(counted).toBe(closingsBetween(slices, begins, ends).length)
    expect(closingsBetween(slices, begins, ends).map((closing) => closing.at)).toEqual(expect.arrayContaining(at(days)))
    const loaded = await bench.rows(`select day::text as day from public.told where job = 'days' order by day`)
    expect(loaded.map(({ day }) => day)).toEqual(closingsBetween(slices, begins, ends).map(({ slice }) => slice.label))
    for (const { state: decided, why } of days) if (decided === 'skipped') expect(why).toMatch(/made up for/)
    // one run for each start, and one start after each run
    const begun = days.filter(({ state: decided }) => decided === 'started')
    expect(new Set(begun.map(({ run }) => run)).size).toBe(begun.length)
    const after = await came('after')
    expect(after.map(({ key }) => key).sort()).toEqual(begun.map(({ run }) => `run ${run as number}`).sort())
    const runs = await bench.own(`select count(*)::int as n, count(distinct occasion_id)::int as occasions from mattock.run`)
    expect(runs[0]!.n).toBe(runs[0]!.occasions)
  })
}) // prettier-ignore
