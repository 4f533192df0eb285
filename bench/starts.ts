import { join } from 'node:path'
import { rehearse } from '../core/schedule/night'
import { planApart } from '../engine/planner/process'
import { lookAhead } from '../engine/scheduling/outlook'
import { startScheduler } from '../engine/scheduling/scheduler'
import { syncStarts } from '../engine/scheduling/states'
import { saveJob } from '../engine/jobs/versions'
import { benchPlace } from './place'

/**
 * How quick starts are: BENCH_DUE jobs (200) that are due at the same time, from their time to their runs; the starts of the
 * next 24 hours of BENCH_JOBS jobs (1,000); a night of 20,000 loads rehearsed. The yardstick for the first is a loop of
 * `psql`-like round trips: one statement for each job, through the same connection.
 */
const due = Number(process.env.BENCH_DUE ?? 200)
const jobs = Number(process.env.BENCH_JOBS ?? 1000)
const place = await benchPlace(Number(process.env.BENCH_WORKERS ?? 2), 3)
const { engine } = place
const client = engine.db.$client
process.env.DATABASE_URL = engine.databaseUrl
process.env.MATTOCK_DATA = engine.dataFolder
const planner = planApart({
  entry: join(import.meta.dirname, '../dist/main.js'),
  log: (message) => console.log(message),
})
engine.planApart = (person, ask) => planner.ask({ person }, 'makePlan', ask)
/** Milliseconds that a load takes; 0 is a line in the log, as quick as a load can be. */
const takes = Number(process.env.BENCH_TAKES ?? 0)
const step =
  takes === 0
    ? `{id: tell, log: {text: '{row.value}'}}`
    : `{id: wait, sql: {on: warehouse, text: 'select pg_sleep(${takes / 1000}), {row.value}'}}`
const job = (name: string, cron: string, slices = '') => `
mattock: job/1
name: ${name}
title: ${name}
${slices}starts: [{id: clock, clock: {cron: '${cron}', zone: Europe/Oslo}}]
parts:
  - each: {roster: {range: {from: 1, to: 4}}, at_once: 2}
    do: [${step}]
` // prettier-ignore
try {
  await client.query('delete from mattock.pause')
  const begun = performance.now()
  for (let i = 0; i < due; i++) await client.query('select 1')
  const roundTrips = performance.now() - begun
  await client.query(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-25T05:00:00Z')`,
  )
  for (let i = 0; i < due; i++) await saveJob(engine, job(`due-${i}`, '30 6 * * *'), { by: 'bench' })
  const end = startScheduler(engine)
  const known = `select count(*)::int as n from mattock.start_state where next_at > '2026-11-25T05:00:00Z'`
  while ((await client.query<{ n: number }>(known)).rows[0]!.n < due) await new Promise((resolve) => setTimeout(resolve, 50)) // prettier-ignore
  // one morning before, as the mornings of a job that is there
  for (const [day, count] of [['25', due], ['26', 2 * due]] as const) {
    await client.query(`update mattock.shown_clock set real = clock_timestamp(), shown = '2026-11-${day}T05:29:58Z'`)
    const open = `select count(*)::int as n from mattock.occasion o join mattock.run r on r.id = o.run_id where r.state = 'done'`
    while ((await client.query<{ n: number }>(open)).rows[0]!.n < count) await new Promise((resolve) => setTimeout(resolve, 50))
  } // prettier-ignore
  const { rows } = await client.query<{ median: number; last: number; first: number }>(
    `select percentile_cont(0.5) within group (order by lag) as median, max(lag) as last, min(lag) as first from (select extract(epoch from begun_at - at)::float8 as lag from mattock.occasion where at > '2026-11-26') l`,
  )
  const { median, last, first } = rows[0]!
  console.log(`${due} jobs due at once: first ${first.toFixed(2)} s, median ${median.toFixed(2)} s, last ${last.toFixed(2)} s after their time; ${((last * 1000) / roundTrips).toFixed(0)} × as many round trips`) // prettier-ignore
  await end()

  for (let i = due; i < jobs; i++)
    await saveJob(
      engine,
      i % 10 === 0
        ? job(`many-${i}`, '*/15 * * * *')
        : job(`many-${i}`, `${i % 60} ${i % 24} * * *`, i % 3 === 0 ? 'slices: {every: PT1H, zone: Europe/Oslo, from: 2026-01-01}\n' : ''),
      { by: 'bench' },
    ) // prettier-ignore
  await syncStarts(engine)
  const span = { environment: 'dev', from: '2026-11-26T06:00:00Z', until: '2026-11-27T06:00:00Z' }
  await lookAhead(engine, span)
  const looked = performance.now()
  const { foreseen } = await lookAhead(engine, span)
  console.log(`starts of the next 24 hours of ${jobs} jobs: ${foreseen.length} in ${((performance.now() - looked) / 1000).toFixed(2)} s`) // prettier-ignore

  const lengths = Array.from({ length: 200 }, (_, i) => 500 + ((i * 7919) % 9000))
  const night = {
    from: 0, until: 86_400_000, running: [], workers: 32,
    jobs: Array.from({ length: 200 }, (_, i) => ({
      job: `j${i}`, atOnceRuns: 'beside' as const, writes: [], follows: i % 4 === 3 ? [{ start: 'f', jobs: [`j${i - 1}`], all: false }] : [],
      times: i % 4 === 3 ? [] : [{ start: 'c', at: (i % 40) * 600_000 }],
      parts: [{ loads: 100, atOnce: 8, waits: [], lengths }],
    })),
  } // prettier-ignore
  const played = performance.now()
  const { runs } = rehearse(night)
  console.log(
    `a night of ${runs.length * 100} loads rehearsed: ${((performance.now() - played) / 1000).toFixed(2)} s`,
  )
} finally {
  planner.close()
  await place.close()
}
