import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { lookAhead } from '../engine/scheduling/outlook'
import { startRun } from '../engine/running/runs'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { watchWaits } from '../engine/waiting/look'
import { benchPlace } from './place'

/**
 * Waiting: BENCH_ROWS loads (1,000) that wait for a slice of another job, from the end of that to the last of them let go;
 * what BENCH_WAITING loads (50,000) that wait cost, half of them for slices, half for files; and how soon a file is noticed
 * in a folder of as many. The yardstick for the first is one plain update of as many rows.
 */
const rows = Number(process.env.BENCH_ROWS ?? 1000)
const waiting = Number(process.env.BENCH_WAITING ?? 50_000)
const place = await benchPlace(1, 4)
const { engine, drop } = place
const client = engine.db.$client
const job = (name: string, count: number, waits: string, step: string) => `
mattock: job/1
name: ${name}
title: ${name}
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {range: {from: 1, to: ${count}, as: n}}, at_once: 8${waits}}
    do: [${step}]
` // prettier-ignore
const log = `{id: tell, log: {text: '{row.n} {slice.label}'}}`
const begin = async (name: string, span: string) => {
  const { id } = await makePlan(engine, { job: name, environment: 'dev', parameters: {}, by: 'bench', span })
  return await startRun(engine, { plan: id, by: 'bench' })
}
const sleep = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))
const number = async (sql: string, values: unknown[] = []) =>
  Number((await client.query<{ n: number }>(sql, values)).rows[0]!.n)
const ended = async (run: number) => {
  while (
    (await number(`select count(*) as n from mattock.run where id = $1 and state in ('running', 'waiting')`, [
      run,
    ])) > 0
  )
    await sleep(20)
}
try {
  await saveJob(engine, job('first', 1, '', log), { by: 'bench' })
  await saveJob(engine, job('then', rows, ', waits: [{job: {name: first}}]', log), { by: 'bench' })
  await begin('then', '2026-02-01')
  const begun = performance.now()
  await client.query(`update mattock.load set waits_for = waits_for where lane < 0`)
  const plain = performance.now() - begun
  const first = await begin('first', '2026-02-01')
  await ended(first)
  const lag = await number(`select max(date_part('epoch', s.released_at - r.ended_at)) as n from mattock.wait_set s, mattock.run r where r.id = $1 and s.released_at is not null`, [first])
  const left = await number('select count(*) as n from mattock.load where lane < 0')
  console.log(`${rows} loads let go ${(lag * 1000).toFixed(0)} ms after the end of the run they waited for, ${left} left; a plain update of them takes ${plain.toFixed(0)} ms`)
  // what waiting costs: nothing runs, and the processor time of Postgres and of this process is counted
  await saveJob(engine, job('many', waiting / 2, ', waits: [{job: {name: first}}]', log), { by: 'bench' })
  await saveJob(engine, job('filed', waiting / 2, ', waits: [{files: {}}]', `{id: bring, transfer: {from: {store: drop, files: "in/{row.n}_{format(slice.from, 'yyyyMMdd')}.csv"}, into: {connection: warehouse, table: public.t, write: append}}}`), { by: 'bench' })
  mkdirSync(`${drop}/in`, { recursive: true })
  for (let n = 1; n <= waiting; n++) writeFileSync(`${drop}/in/${n}_old.csv`, '')
  const laying = performance.now()
  await begin('many', '2026-03-01')
  await begin('filed', '2026-03-01')
  console.log(`${waiting.toLocaleString('en')} waiting loads planned and begun in ${((performance.now() - laying) / 1000).toFixed(0)} s`)
  const night = { environment: 'dev', from: new Date().toISOString(), until: new Date(Date.now() + 86_400_000).toISOString() }
  await lookAhead(engine, night)
  const looked = performance.now()
  const { foreseen } = await lookAhead(engine, night)
  console.log(`the next 24 hours with them: ${(performance.now() - looked).toFixed(0)} ms, ${foreseen.filter(({ stuck }) => stuck !== null).length} runs of which wait for what nothing brings`)
  const end = watchWaits(engine)
  await sleep(4000)
  const from = { own: process.cpuUsage(), postgres: postgresTicks() }
  const span = 20_000
  await sleep(span)
  const used = process.cpuUsage(from.own)
  const share = ((used.user + used.system) / 1000 + usedSince(from.postgres) * 10) / span
  console.log(`they cost ${(share * 100).toFixed(1)} % of one core, Postgres and the one who looks together`)
  const laid = performance.now()
  writeFileSync(`${drop}/in/7_20260301.csv`, 'n\n7\n')
  while ((await number(`select count(*) as n from mattock.wait_set s join mattock.load l on l.wait_set = s.id where l.row_key = '7' and s.released_at is not null and l.run_id = (select max(id) from mattock.run)`)) === 0) await sleep(50)
  console.log(`a file among ${waiting.toLocaleString('en')} was noticed, and no longer grew, after ${((performance.now() - laid) / 1000).toFixed(1)} s`)
  end()
} finally {
  await place.close()
} // prettier-ignore

/** Processor time of each process named postgres, in hundredths of a second. */
function postgresTicks(): Map<string, number> {
  const ticks = new Map<string, number>()
  for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
    try {
      const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
      if (!stat.includes('(postgres)')) continue
      const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
      ticks.set(pid, Number(fields[11]) + Number(fields[12]))
    } catch {
      // one that has ended meanwhile
    }
  }
  return ticks
}

/** What those that are still there used since then. */
function usedSince(before: ReadonlyMap<string, number>): number {
  let used = 0
  for (const [pid, now] of postgresTicks()) used += now - (before.get(pid) ?? 0)
  return used
}
