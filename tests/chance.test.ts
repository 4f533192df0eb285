import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { FaultPoint } from '../engine/context/faultPoints'
import { rerun } from '../engine/running/runs'
import { faultBench, until, type FaultBench } from './support/faults'

// Faults as they come: which, where and when are drawn. `./mattock test --faults N` draws N of them; MATTOCK_SEED takes a
// schedule that was printed before. What hangs, is lost or done twice shows in the rows and files at the end.

const asked = process.env.MATTOCK_FAULTS
const wanted = Number(asked ?? 8)
// each time the same among all tests, another each time where it is asked for
const seed = Number(process.env.MATTOCK_SEED ?? (asked === undefined ? 1126 : Date.now() % 1_000_000))
vi.setConfig({ testTimeout: 900_000 + wanted * 60_000 })

/** Numbers from 0 to 1 that look like chance, the same for one seed (mulberry32). */
function chance(from: number): () => number {
  let state = from
  return () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296
  }
}
const draw = chance(seed)
const oneOf = <T>(from: readonly T[]): T => from[Math.floor(draw() * from.length)]!
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

let bench: FaultBench
beforeAll(async () => {
  bench = await faultBench()
  for (let load = 1; load <= loads; load++)
    bench.writeFile(
      `in/${load}.csv`,
      `n,id\n${Array.from({ length: rows }, (_, i) => `${load},${i}`).join('\n')}\n`,
    )
  bench.begin()
  bench.begin()
  await until('they are there', async () => (await workers()).length === 2)
})
afterAll(() => bench.close())

/** Loads of each part of a run, and rows of each. */
const loads = 25
const rows = 100

const job = (name: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: 'create table if not exists public.${name} (n int, id int)'}}
  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: 'in/{row.value}.csv'}
          into: {connection: warehouse, table: public.${name}, write: append}
  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 4}
    do:
      - id: take-out
        transfer:
          from: {connection: warehouse, query: 'select g as id from generate_series(1, 50) g'}
          into: {store: drop, file: 'out/${name}/{row.value}.csv'}
`

const stateOf = async (run: number) =>
  (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state as string
/** The workers of this bench that are there: the rows of dead ones stay a while, and their numbers may be others' now. */
const workers = async () =>
  (await bench.own('select pid from mattock.worker')).map(({ pid }) => Number(pid)).filter(isOurs)

function isOurs(pid: number): boolean {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(bench.folder)
  } catch {
    return false
  }
}

const points: FaultPoint[] = [
  'load-taken', 'load-started', 'rows-flowing', 'before-commit', 'committed', 'file-written', 'file-named',
  'step-recorded', 'before-finish', 'finished',
] // prettier-ignore

/** What can happen; each returns what it was. */
const happenings = {
  'killed at a point': async () => await met(oneOf(points), 'kill'),
  'stands still at a point': async () => await met(oneOf(points), 'pause'),
  'something throws at a point': async () =>
    // before it takes effect: a rerun of what took effect does it again, and the load says so
    await met(oneOf(['load-taken', 'load-started', 'rows-flowing', 'before-commit']), 'cut'),
  'killed anywhere': async () => {
    const pid = oneOf(await workers())
    if (pid && isOurs(pid)) process.kill(pid, 'SIGKILL')
    return String(pid)
  },
  'stands still anywhere, for a while': async () => {
    const pid = oneOf(await workers())
    if (!pid || !isOurs(pid)) return ''
    const long = Math.round(draw() * 5000)
    process.kill(pid, 'SIGSTOP')
    void pause(long).then(() => {
      if (isOurs(pid)) process.kill(pid, 'SIGCONT')
    })
    return `${pid} for ${long} ms`
  },
  'a database ends one connection': async () => {
    const ended = await bench.warehouse.query(
      `select pg_terminate_backend(pid) from pg_stat_activity
       where pid <> pg_backend_pid() and application_name <> '' and datname in (current_database(), $1)
       order by pid offset $2 limit 1`,
      [new URL(bench.url).pathname.slice(1), Math.floor(draw() * 6)],
    )
    return `${ended.rowCount}`
  },
}

/** How all stands, for whoever looks why a run hangs. */
const standing = async () =>
  JSON.stringify({
    loads: await bench.own(`select id, run_id, part, state, worker, attempt, deaths, waits_for, taken_at, error from mattock.load where state not in ('done', 'ready', 'waiting') limit 20`), // prettier-ignore
    ready: await bench.own(`select run_id, part, count(*) from mattock.load where state = 'ready' group by 1, 2`),
    workers: await bench.own('select *, clock_timestamp() - beat_at as silent from mattock.worker'),
    queue: await bench.own('select task_identifier, key, attempts, max_attempts, locked_by, locked_at, run_at, last_error from graphile_worker.jobs limit 20'), // prettier-ignore
    now: await bench.own('select now()'),
  }, null, 1) // prettier-ignore

/** Lays a fault at a point, and waits a while for somebody to meet it. */
async function met(point: FaultPoint, kind: 'kill' | 'pause' | 'cut'): Promise<string> {
  bench.lay(point, kind)
  for (let i = 0; i < 100 && bench.laid().length > 0; i++) await pause(20)
  return point
}

describe(`${wanted} faults as they come, with seed ${seed}`, () => {
  it('nothing is lost, done twice, or hangs', async () => {
    const made: string[] = []
    const runs: { run: number; name: string }[] = []
    try {
      while (made.length < wanted || runs.length * loads * 2 < wanted * 5) {
        const name = `chance_${runs.length + 1}`
        const run = await bench.start(job(name))
        runs.push({ run, name })
        while (made.length < wanted && (await stateOf(run)) === 'running') {
          const what = oneOf(Object.keys(happenings) as (keyof typeof happenings)[])
          made.push(`${what} ${await happenings[what]()}`)
          await pause(draw() * 400)
        }
        await until(`run ${run} ends`, async () => (await stateOf(run)) !== 'running')
      }
      let again = 0
      for (const { run, name } of runs) {
        let last = run
        // a load that met three of them has failed, says so, and is done when it is run again
        for (let times = 0; (await stateOf(last)) !== 'done' && times < 5; times++) {
          const failed = await bench.own(`select error from mattock.load where run_id = $1 and state = 'failed'`, [last]) // prettier-ignore
          for (const { error } of failed)
            expect((error as { message: string }).message).toMatch(
              /ended|away|known|connection|terminat|on purpose/i,
            )
          again += failed.length
          last = await rerun(bench.engine, last, { by: 'test' })
          await until(`run ${last} ends`, async () => (await stateOf(last)) !== 'running')
        }
        expect([name, await stateOf(last)]).toEqual([name, 'done'])
        const [count] = await bench.rows(`select count(*)::int as rows, count(distinct (n, id))::int as ids from public.${name}`) // prettier-ignore
        expect([name, count]).toEqual([name, { rows: loads * rows, ids: loads * rows }])
        const folder = join(bench.drop, 'out', name)
        expect(readdirSync(folder).sort()).toEqual(Array.from({ length: loads }, (_, i) => `${i + 1}.csv`).sort()) // prettier-ignore
        for (const file of readdirSync(folder))
          expect(readFileSync(join(folder, file), 'utf8').trim().split('\n')).toHaveLength(51)
      }
      const kills = made.filter((what) => what.startsWith('killed')).length
      process.stdout.write(
        `${made.length} faults, ${kills} of them kills, in ${runs.length * loads * 2} loads of ${runs.length} runs with seed ${seed}; ${again} loads were run again\n`,
      )
    } catch (error) {
      process.stdout.write(`${await standing()}\n${bench.said().slice(-4000)}\n`)
      process.stdout.write(`MATTOCK_SEED=${seed} MATTOCK_FAULTS=${wanted}\n${made.join('\n')}\n`)
      throw error
    }
  })
})
