import { DuckDBInstance } from '@duckdb/node-api'
import { execFile } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { Temporal } from 'temporal-polyfill'
import { layDown } from '../demo/gauges'
import { laboratories, layReport } from '../demo/lab'
import { randomFrom } from '../demo/random'

/**
 * A week of the demo's work, again and again for BENCH_MINUTES (20), with a fault every 20 s; the yardstick is the same week
 * without faults in another environment. At its end both warehouses and both lakes hold the same (EXCEPT ALL both ways),
 * what only ever appends holds each row once, nothing hangs, nothing is left lying, and the memory of what lived is flat.
 */
const minutes = Number(process.env.BENCH_MINUTES ?? 20)
const every = Number(process.env.BENCH_FAULT_SECONDS ?? 20)
const seed = process.env.MATTOCK_SEED ?? String(Date.now() % 1_000_000)
const draw = randomFrom(`soak ${seed}`)
const oneOf = <T>(from: readonly T[]): T | undefined => from[Math.floor(draw() * from.length)]
const today = Temporal.PlainDate.from('2026-11-23')
const data = mkdtempSync(join(tmpdir(), 'mattock-soak-'))
const program = join(import.meta.dirname, '../dist/main.js')
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
const wrong: string[] = []

interface Document {
  run: number
  state: string
  balance: { balanced: boolean }
  detail: { key: string; state: string }[]
}
const mattock = (...args: string[]) =>
  new Promise<string>((resolve, reject) => {
    const env = { ...process.env, UV_THREADPOOL_SIZE: '64', MATTOCK_NO_HISTORY: '1', MATTOCK_TODAY: today.toString() } // prettier-ignore
    execFile(process.execPath, [program, ...args, '--data', data], { env, maxBuffer: 2 ** 28, timeout: 600_000 }, (error, out, err) =>
      error && (Number(error.code) !== 1 || (out === '' && err !== '')) ? reject(new Error(`${args.join(' ')}: ${err || error.message}`)) : resolve(out),
    )
  }) // prettier-ignore

/** What appends: a load that took effect twice, or not at all, shows in its rows. */
const appending = `
mattock: job/1
name: meter-log
title: Meter log
parameters:
  pass: {type: integer, default: 0}
slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01}
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: 'create table if not exists public.meter_log (pass int, day text, n int, id int)'}}
  - each: {roster: {range: {from: 1, to: 40}}, at_once: 4}
    do:
      - id: log
        transfer:
          from: {connection: warehouse, query: "select {param.pass}::int as pass, {format(slice.from, 'yyyy-MM-dd')}::text as day, {row.value}::int as n, g::int as id from generate_series(1, 500) g"}
          into: {connection: warehouse, table: public.meter_log, write: append}
`
const rowsAPass = 40 * 500

interface Process {
  readonly pid: number
  readonly parent: number
  readonly name: string
}
/** The processes that this Mattock is, by what they do; those of Postgres apart. */
function processes(root: number): Process[] {
  const all = readdirSync('/proc').filter((name) => /^\d+$/.test(name)).flatMap((name) => {
    try {
      const parent = Number(/^PPid:\s+(\d+)/m.exec(readFileSync(`/proc/${name}/status`, 'utf8'))?.[1])
      const words = readFileSync(`/proc/${name}/cmdline`, 'utf8').split('\0')
      return [{ pid: Number(name), parent, name: words[words.findIndex((word) => word.endsWith('main.js')) + 1] ?? '' }] // prettier-ignore
    } catch {
      return []
    }
  }) // prettier-ignore
  const ours = new Set([root])
  const found: Process[] = []
  for (let more = true; more;) {
    more = false
    for (const one of all)
      if (ours.has(one.parent) && !ours.has(one.pid)) {
        ours.add(one.pid)
        if (['serve', 'worker', 'planner'].includes(one.name)) found.push(one)
        more = true
      }
  }
  return found
}
const rss = (pid: number): number => {
  try {
    return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024
  } catch {
    return 0
  }
}

await mattock('start', '--demo', '--port', '0', '--background', '--json')
const state = JSON.parse(readFileSync(join(data, 'running.json'), 'utf8')) as {
  pid: number
  databaseUrl: string
}
const connect = async (database: string) => {
  const client = new pg.Client({ connectionString: Object.assign(new URL(state.databaseUrl), { pathname: `/${database}` }).toString() }) // prettier-ignore
  client.on('error', () => {})
  await client.connect()
  return client
}
const days = [7, 6, 5, 4, 3, 2, 1].map((daysAgo) => ({ daysAgo, day: today.subtract({ days: daysAgo }) }))
const monday = today.subtract({ days: 7 })

/** The work of one day: jobs with the slices they get. */
const work = (day: Temporal.PlainDate, pass: number): string[][] => {
  const span = ['--slices', `${day.toString()}/${day.add({ days: 1 }).toString()}`]
  return [
    ['registry-copy'],
    ['gauge-readings', ...span],
    ['work-orders', ...span],
    ['lab-results', '--slices', `${monday.toString()}/${today.toString()}`],
    ['rain-gauges', '--slices', '2026-10-01/2026-12-01'],
    ['meter-log', ...span, '--set', `pass=${pass}`],
    ['lake-copy'],
  ]
}
const failedOf = ({ detail }: Document): string =>
  detail.filter(({ state }) => state === 'failed').map(({ key }) => key).sort().join(', ') // prettier-ignore
let again = 0
/** Runs it to its end, and what failed again, until only that has failed which the files themselves make fail. */
async function done(environment: string, args: string[], expected: string | undefined): Promise<string> {
  let { run } = JSON.parse(await mattock('run', ...args, '--env', environment, '--wait', '--json')) as { run: number } // prettier-ignore
  for (let times = 0; ; times++) {
    const document = JSON.parse(await mattock('show', String(run), '--json')) as Document
    const failed = failedOf(document)
    if (expected === undefined || failed === expected) {
      if (!document.balance.balanced) wrong.push(`run ${run} of ${args.join(' ')} does not balance`)
      return failed
    }
    if (times === 6) {
      wrong.push(`run ${run} of ${args.join(' ')}: failed ${failed || 'nothing'} instead of ${expected || 'nothing'}`) // prettier-ignore
      return failed
    }
    again++
    run = (JSON.parse(await mattock('rerun', String(run), '--failed', '--wait', '--json')) as { run: number })
      .run
  }
}

const happenings: Record<string, () => Promise<unknown> | unknown> = {
  'a worker killed': () => kill('worker'),
  'a worker killed ': () => kill('worker'),
  'a worker stood still': () => {
    const one = oneOf(processes(state.pid).filter(({ name }) => name === 'worker'))
    if (!one) return
    const long = 2000 + draw() * 18_000
    process.kill(one.pid, 'SIGSTOP')
    setTimeout(() => {
      if (rss(one.pid) > 0) process.kill(one.pid, 'SIGCONT')
    }, long)
  },
  'a planner killed': () => kill('planner'),
  'Postgres ended at once': () => process.kill(postmaster(), 'SIGQUIT'),
  'a connection ended': async () => {
    const client = await connect('postgres')
    await client.query(`select pg_terminate_backend(pid) from pg_stat_activity where pid <> pg_backend_pid() and backend_type = 'client backend' order by pid offset $1 limit 1`, [Math.floor(draw() * 12)]).finally(() => client.end()) // prettier-ignore
  },
  'the server killed': () => kill('serve'),
}
const postmaster = () =>
  Number(readFileSync(join(data, 'postgres', 'data', 'postmaster.pid'), 'utf8').split('\n')[0])
function kill(name: string): void {
  const one = oneOf(processes(state.pid).filter((process) => process.name === name))
  if (one) process.kill(one.pid, 'SIGKILL')
}

const memory = new Map<number, { name: string; seen: { at: number; mb: number }[] }>()
const made = new Map<string, number>()
let over = false
async function faults(begun: number): Promise<void> {
  const names = Object.keys(happenings)
  while (!over) {
    const half = Date.now() - begun > minutes * 30_000
    // in the second half the server lives, so that its memory can be seen
    const what = oneOf(half ? names.filter((name) => name !== 'the server killed') : names)!
    made.set(what.trim(), (made.get(what.trim()) ?? 0) + 1)
    await (async () => await happenings[what]!())().catch((error: Error) =>
      console.log(`  ${what}: ${error.message}`),
    )
    for (let i = 0; i < every && !over; i++) {
      await pause(1000)
      if (i % 5 === 0)
        for (const { pid, name } of processes(state.pid)) {
          const one = memory.get(pid) ?? { name, seen: [] }
          one.seen.push({ at: Date.now(), mb: rss(pid) })
          memory.set(pid, one)
        }
    }
  }
}

const tables = async (client: pg.Client) =>
  (await client.query<{ name: string }>(`select format('%I.%I', table_schema, table_name) as name from information_schema.tables where table_schema not in ('pg_catalog', 'information_schema') order by 1`)).rows.map(({ name }) => name) // prettier-ignore

/** Rows that only one of the warehouses has, by table. */
async function compareWarehouses(): Promise<string> {
  const [a, b] = await Promise.all([connect('warehouse_dev'), connect('warehouse_staging')])
  const [inA, inB] = [await tables(a), await tables(b)]
  if (inA.join() !== inB.join()) wrong.push(`tables of dev ${inA.join()}, of staging ${inB.join()}`)
  await a.query(`create extension if not exists dblink`)
  const there = new URL(state.databaseUrl)
  const address = `host=${there.hostname} port=${there.port} user=${there.username} password=${decodeURIComponent(there.password)} dbname=warehouse_staging` // prettier-ignore
  let rows = 0
  for (const table of inA) {
    if (table === 'public.meter_log' || table.startsWith('mattock.')) continue
    const columns = (await a.query<{ list: string }>(`select string_agg(format('%I %s', attname, format_type(atttypid, atttypmod)), ', ' order by attnum) as list from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped`, [table])).rows[0]!.list // prettier-ignore
    const other = `(select * from dblink($1, $2) as t(${columns}))`
    const asked = `with here as (select * from ${table}), there as (select * from ${other} o)
      select (select count(*)::int from here) as rows,
        (select count(*)::int from (select * from here except all select * from there) x) as here,
        (select count(*)::int from (select * from there except all select * from here) x) as there`
    const [found] = (await a.query<{ rows: number; here: number; there: number }>(asked, [address, `select * from ${table}`])).rows // prettier-ignore
    rows += found!.rows
    if (found!.here + found!.there > 0)
      wrong.push(`${table}: ${found!.here} rows only in dev, ${found!.there} only in staging`)
  }
  await Promise.all([a.end(), b.end()])
  return `${inA.length} tables, ${rows.toLocaleString('en')} rows`
}

/** Files that only one of the lakes has, or that hold other rows. */
async function compareLakes(): Promise<string> {
  const list = (environment: string) =>
    readdirSync(join(data, 'lake', environment), { recursive: true, encoding: 'utf8' }).sort()
  if (list('dev').join() !== list('staging').join())
    wrong.push(`files of dev ${list('dev').join()}, of staging ${list('staging').join()}`)
  const duck = await (await DuckDBInstance.create()).connect()
  const files = list('dev').filter((name) => name.endsWith('.parquet'))
  for (const file of files) {
    const [a, b] = ['dev', 'staging'].map((environment) => `select * from read_parquet('${join(data, 'lake', environment, file)}')`) // prettier-ignore
    const rows = (await duck.runAndReadAll(`select count(*)::int from ((${a} except all ${b}) union all (${b} except all ${a}))`)).getRows() // prettier-ignore
    if (rows[0]![0] !== 0) wrong.push(`${file}: ${String(rows[0]![0])} rows differ`)
  }
  return `${files.length} files`
}

/** What nothing may be left of when nothing runs. */
async function leftBehind(): Promise<void> {
  const own = await connect('mattock')
  const { rows } = await own.query<{ what: string; count: number }>(
    `select 'runs not at their end' as what, count(*)::int from mattock.run where state not in ('done', 'failed', 'stopped')
     union all select 'loads not at their end', count(*)::int from mattock.load where state not in ('done', 'failed', 'skipped', 'stopped')`,
  )
  for (const { what, count } of rows) if (count > 0) wrong.push(`${count} ${what}`)
  await own.end()
}

/** Memory of what lived for four minutes: its second minute against its last. */
function flat(): string {
  const median = (of: number[]) => of.sort((a, b) => a - b)[Math.floor(of.length / 2)] ?? 0
  const told: string[] = []
  for (const { name, seen } of memory.values()) {
    const [begin, end] = [seen[0]!.at, seen.at(-1)!.at]
    if (end - begin < 240_000) continue
    const early = median(seen.filter(({ at }) => at > begin + 60_000 && at < begin + 120_000).map(({ mb }) => mb)) // prettier-ignore
    const late = median(seen.filter(({ at }) => at > end - 60_000).map(({ mb }) => mb))
    told.push(`${name} ${early.toFixed(0)} → ${late.toFixed(0)} MB in ${((end - begin) / 60_000).toFixed(0)} min`) // prettier-ignore
    if (late > early * 1.5 + 60) wrong.push(`memory grows: ${told.at(-1)!}`)
  }
  return told.join(', ')
}

try {
  writeFileSync(join(data, 'meter-log.yaml'), appending)
  await mattock('put', join(data, 'meter-log.yaml'))
  const drop = join(data, 'gauge-drop')
  for (const { day, daysAgo } of days)
    for (const which of ['on-time', 'late'] as const) layDown(drop, day, daysAgo, which)
  for (const lab of laboratories) await layReport(join(data, 'lab-post'), lab, monday, false)

  const quiet = performance.now()
  const expected = new Map<string, string>()
  for (const { day } of days)
    for (const args of work(day, 0))
      expected.set(args.slice(0, 3).join(' '), await done('staging', args, undefined))
  const oneWeek = (performance.now() - quiet) / 1000

  const begun = Date.now()
  const making = faults(begun)
  let passes = 0
  let runs = 0
  for (const [at, { day }] of days.entries())
    do {
      passes++
      for (const args of work(day, passes)) {
        await done('dev', args, expected.get(args.slice(0, 3).join(' ')))
        runs++
      }
    } while (Date.now() - begun < ((at + 1) * minutes * 60_000) / days.length)
  over = true
  await making
  const warehouse = await connect('warehouse_dev')
  const [log] = (await warehouse.query<{ rows: number; ids: number }>('select count(*)::int as rows, count(distinct (pass, day, n, id))::int as ids from public.meter_log')).rows // prettier-ignore
  await warehouse.end()
  if (log!.rows !== passes * rowsAPass || log!.ids !== log!.rows)
    wrong.push(`appended ${log!.rows} rows, ${log!.ids} different ones, of ${passes * rowsAPass}`)
  const compared = `${await compareWarehouses()}, ${await compareLakes()}`
  await leftBehind()
  const count = [...made.values()].reduce((sum, n) => sum + n, 0)
  console.log(
    `soak, seed ${seed}: ${((Date.now() - begun) / 60_000).toFixed(1)} min, ${count} faults (${[...made].map(([what, n]) => `${n} × ${what}`).join(', ')}), ${runs} runs of ${passes} days, ${again} rerun; the same week without faults takes ${oneWeek.toFixed(0)} s. Compared: ${compared}, ${log!.rows.toLocaleString('en')} appended rows. Memory: ${flat()}`,
  )
} finally {
  over = true
  for (const line of wrong) console.log(`  WRONG: ${line}`)
  if (wrong.length > 0) process.exitCode = 1
  await mattock('stop').catch((error: Error) => console.log(error.message))
  if (!process.env.BENCH_KEEP && existsSync(data)) rmSync(data, { recursive: true, force: true })
}
process.exit()
