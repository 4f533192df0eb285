import { execFileSync } from 'node:child_process'
import { createWriteStream, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { once } from 'node:events'
import { benchPlace, round, timed } from './place'

/**
 * Ratios in one run on one machine:
 * 2 million rows into a typed table against `psql \copy` of the same file (at most 1.2);
 * 500 loads of 1,000 rows against a shell loop of `psql \copy`, two at a time (at most 0.75);
 * 10 million rows against 1 million, with LARGE=1 (at most 10.5, worker at most 600 MB).
 */
const rounds = Number(process.env.ROUNDS ?? 3)
const loads = 500
const place = await benchPlace(2, 3)
const columns = 'id bigint, meter text, read_at timestamptz, value double precision, state text'
try {
  const big = await rowsOf(2_000_000, 'big.csv')
  const theirs: number[] = []
  const mine: number[] = []
  for (let i = 0; i < rounds; i++) {
    await place.warehouse.query(
      `drop table if exists public.theirs; create table public.theirs (${columns}); drop table if exists public.mine; create table public.mine (${columns}); checkpoint`,
    )
    theirs.push(
      await timed(() =>
        execFileSync('psql', [
          place.warehouseUrl,
          '-qc',
          `\\copy public.theirs from '${big}' (format csv, header)`,
        ]),
      ),
    )
    await place.warehouse.query('checkpoint')
    mine.push(
      (await place.run(job('big', '{rows: [{file: big.csv, target: mine}]}', 1, 'rejects: keep'))).seconds,
    )
    const { rows } = await place.warehouse.query(
      `select (select count(*) from public.mine) as mine, (select sum(value) from public.mine) = (select sum(value) from public.theirs) as same`,
    )
    if (rows[0].mine !== 2_000_000 || !rows[0].same) throw new Error('the tables differ')
  }
  report('2 million rows', mine, theirs, 1.2, {
    megabytes: Math.round(statSync(big).size / 1e6),
    workerMB: await place.workerMemory(),
  })

  const body = Array.from(
    { length: 1000 },
    (_, i) => `${i},M-${i % 50},2026-11-01 00:15:00+00,${i / 8},ok`,
  ).join('\n')
  const names = Array.from({ length: loads }, (_, i) => `small_${i}.csv`)
  for (const name of names) writeFileSync(join(place.drop, name), `id,meter,read_at,value,state\n${body}\n`)
  theirs.length = 0
  mine.length = 0
  for (let i = 0; i < rounds; i++) {
    await place.warehouse.query(
      `drop table if exists public.small_mine; create table public.small_mine (${columns}); drop table if exists public.small_theirs; create table public.small_theirs (${columns}); checkpoint`,
    )
    const loop = `ls '${place.drop}'/small_*.csv | xargs -P 2 -I{} psql '${place.warehouseUrl}' -qc "\\copy public.small_theirs from '{}' (format csv, header)"`
    theirs.push(await timed(() => execFileSync('bash', ['-c', loop])))
    mine.push(
      (
        await place.run(
          job(
            'small',
            `{range: {from: 0, to: ${loads - 1}}}`,
            6,
            'rejects: keep',
            'small_{row.value}.csv',
            'small_mine',
          ),
        )
      ).seconds,
    )
    const { rows } = await place.warehouse.query('select count(*) from public.small_mine')
    if (rows[0].count !== loads * 1000) throw new Error('rows are missing')
  }
  report(`${loads} loads of 1,000 rows`, mine, theirs, 0.75, { workerMB: await place.workerMemory() })

  if (process.env.LARGE) {
    const seconds: number[][] = [[], []]
    for (const [i, millions] of [1, 10].entries()) {
      const name = `large_${millions}.csv`
      await rowsOf(millions * 1_000_000, name)
      for (let round = 0; round < (i === 0 ? rounds : 1); round++) {
        await place.warehouse.query(
          `drop table if exists public.large; create table public.large (${columns}); checkpoint`,
        )
        seconds[i]!.push((await place.run(job(`large-${millions}`, `{rows: [{file: ${name}, target: large}]}`, 1, 'rejects: keep'))).seconds) // prettier-ignore
      }
    }
    report('10 million rows against 1 million', seconds[1]!, seconds[0]!, 10.5, { workerMB: await place.workerMemory() }) // prettier-ignore
  }
} finally {
  await place.close()
}

/** Writes a file of so many rows; returns its path. */
async function rowsOf(rows: number, name: string): Promise<string> {
  const path = join(place.drop, name)
  const out = createWriteStream(path)
  out.write('id,meter,read_at,value,state\n')
  for (let i = 0; i < rows; i++) {
    const line = `${i},M-${i % 5000},2026-11-${String(1 + (i % 28)).padStart(2, '0')} ${String(i % 24).padStart(2, '0')}:15:00+00,${(i % 9973) / 8},ok\n`
    if (!out.write(line)) await once(out, 'drain')
  }
  out.end()
  await once(out, 'finish')
  return path
}

function job(
  name: string,
  roster: string,
  atOnce: number,
  more: string,
  files = '{row.file}',
  target = '{row.target}',
): string {
  return `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: ${roster}, at_once: ${atOnce}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: ${JSON.stringify(files)}}
          into: {connection: warehouse, table: ${JSON.stringify(`public.${target}`)}, write: append}
          ${more}
`
}

function report(what: string, ours: number[], yardstick: number[], most: number, more: object): void {
  // the least of each: what is above it is the machine doing something else
  const ratio = round(Math.min(...ours) / Math.min(...yardstick))
  console.log(
    JSON.stringify({
      what,
      seconds: ours.map(round),
      yardstick: yardstick.map(round),
      ratio,
      most,
      good: ratio <= most,
      ...more,
    }),
  )
}
