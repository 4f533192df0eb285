import { execFileSync, spawn } from 'node:child_process'
import { createWriteStream, statSync, unlinkSync } from 'node:fs'
import { once } from 'node:events'
import { join } from 'node:path'
import { DuckDBInstance } from '@duckdb/node-api'
import { benchPlace, round, timed } from './place'

/**
 * Into Parquet: a Postgres table of 2 million rows, at most 1.35 times `COPY … TO STDOUT` piped into one DuckDB
 * process; the same rows from CSV, at most 1.2 times DuckDB's own COPY. Then the profile of a CSV file of 1 GB, by a
 * worker of at most 800 MB.
 */
const rounds = Number(process.env.ROUNDS ?? 3)
const place = await benchPlace(1, 2)
const least = (list: readonly number[]) => Math.min(...list)

async function writeCsv(path: string, bytes: number, rows: number): Promise<void> {
  const out = createWriteStream(path)
  out.write('id,meter,read_at,value,state\n')
  for (let i = 0; i < rows; i++) {
    const line = `${i},M-${i % 5000},2026-11-${String(1 + (i % 28)).padStart(2, '0')} ${String(i % 24).padStart(2, '0')}:15:00+00,${(i % 9973) / 8},ok\n`
    if (!out.write(line)) await once(out, 'drain')
    if (out.bytesWritten > bytes) break
  }
  out.end()
  await once(out, 'finish')
}

/** DuckDB in a process of its own, as the yardstick is. */
function duckdb(sql: string, input?: string): Promise<void> {
  const program = `import('@duckdb/node-api').then(async ({ DuckDBInstance }) => { const c = await (await DuckDBInstance.create(':memory:')).connect(); await c.run(process.argv[1]); process.exit(0) })`
  const command = `${input === undefined ? '' : `${input} | `}"${process.execPath}" -e "$PROGRAM" "$SQL"`
  const child = spawn('bash', ['-c', command], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env: { ...process.env, PROGRAM: program, SQL: sql },
  })
  return new Promise((resolve, reject) =>
    child.on('exit', (code) =>
      code === 0 ? resolve() : reject(new Error(`the yardstick ended with ${code}`)),
    ),
  )
}

const job = (name: string, from: string, into: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do:
      - id: move
        transfer: {from: ${from}, into: ${into}, types: {id: integer, read_at: timestamp, value: number}}
`

try {
  const big = join(place.drop, 'big.csv')
  await writeCsv(big, Infinity, 2_000_000)
  console.log(`2 million rows, ${(statSync(big).size / 1e6).toFixed(0)} MB of CSV`)
  await place.warehouse.query(
    'create table public.big (id bigint, meter text, read_at timestamptz, value double precision, state text)',
  )
  execFileSync('psql', [place.warehouseUrl, '-qc', `\\copy public.big from '${big}' (format csv, header)`])
  await place.warehouse.query('vacuum analyze public.big')
  const columns =
    "{'id': 'BIGINT', 'meter': 'VARCHAR', 'read_at': 'TIMESTAMPTZ', 'value': 'DOUBLE', 'state': 'VARCHAR'}"
  const times = {
    table: [] as number[],
    tableYard: [] as number[],
    csv: [] as number[],
    csvYard: [] as number[],
  }
  for (let i = 0; i < rounds; i++) {
    times.tableYard.push(
      await timed(() =>
        duckdb(
          `copy (select * from read_csv('/dev/stdin', auto_detect = false, header = false, delim = ',', quote = '"', escape = '"', columns = ${columns})) to '${join(place.drop, 'yard.parquet')}' (format parquet)`,
          `psql '${place.warehouseUrl}' -qc 'copy public.big to stdout (format csv)'`,
        ),
      ),
    )
    times.table.push(
      (
        await place.run(
          job('table', '{connection: warehouse, table: public.big}', '{store: drop, file: table.parquet}'),
        )
      ).seconds,
    )
    times.csvYard.push(
      await timed(() =>
        duckdb(
          `copy (select * from read_csv('${big}', auto_detect = false, header = true, delim = ',', quote = '"', escape = '"', columns = ${columns})) to '${join(place.drop, 'yard.parquet')}' (format parquet)`,
        ),
      ),
    )
    times.csv.push(
      (await place.run(job('csv', '{store: drop, files: big.csv}', '{store: drop, file: csv.parquet}')))
        .seconds,
    )
  }
  console.log(
    `  table → Parquet: ${round(least(times.table))} s, yardstick ${round(least(times.tableYard))} s: ${round(least(times.table) / least(times.tableYard))} x`,
  )
  console.log(
    `  CSV → Parquet: ${round(least(times.csv))} s, yardstick ${round(least(times.csvYard))} s: ${round(least(times.csv) / least(times.csvYard))} x`,
  )
  console.log(`  worker's memory: ${await place.workerMemory()} MB`)
  const duck = await (await DuckDBInstance.create(':memory:')).connect()
  const counted = (
    await duck.runAndReadAll(
      `select (select count(*) from '${join(place.drop, 'table.parquet')}'), (select count(*) from '${join(place.drop, 'csv.parquet')}')`,
    )
  ).getRows()[0]
  console.log(`  rows in what was written: ${counted?.join(', ')}`)
  duck.closeSync()
  for (const name of ['big.csv', 'table.parquet', 'csv.parquet', 'yard.parquet'])
    unlinkSync(join(place.drop, name))
} finally {
  await place.close()
}
