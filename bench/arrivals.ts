import { mkdirSync, utimesSync, writeFileSync } from 'node:fs'
import { execFileSync } from 'node:child_process'
import { readArrivals } from '../engine/arrivals/read'
import { saveJob } from '../engine/jobs/versions'
import { benchPlace } from './place'

/**
 * Arrivals of BENCH_ROWS feeds (300) over BENCH_DAYS days (60), one file each in one folder. The yardstick is `find` telling
 * size and time of the same files.
 */
const rows = Number(process.env.BENCH_ROWS ?? 300)
const days = Number(process.env.BENCH_DAYS ?? 60)
const place = await benchPlace(0, 1)
const { engine, drop } = place
try {
  await engine.db.$client.query(`insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-25T05:00:00Z')`)
  await saveJob(engine, `
mattock: job/1
name: wide
title: wide
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {range: {from: 1, to: ${rows}, as: feed}}, arrives: {missing_after: PT6H}}
    do: [{id: bring, transfer: {from: {store: drop, files: "in/feed_{row.feed}_{format(slice.from, 'yyyyMMdd')}*.csv"}, into: {connection: warehouse, table: public.t, write: append}}}]
`, { by: 'bench' })
  mkdirSync(`${drop}/in`, { recursive: true })
  const end = Date.parse('2026-11-25')
  for (let feed = 1; feed <= rows; feed++)
    for (let ago = 1; ago <= days; ago++) {
      const day = new Date(end - ago * 86_400_000).toISOString().slice(0, 10).replaceAll('-', '')
      const file = `${drop}/in/feed_${feed}_${day}.csv`
      writeFileSync(file, 'a\n')
      const came = new Date(end - (ago - 1) * 86_400_000 + 4 * 3_600_000 + feed * 1000)
      utimesSync(file, came, came)
    }
  const ask = { environment: 'dev', from: new Date(end - days * 86_400_000).toISOString(), until: '2026-11-26T00:00:00Z' }
  for (let round = 0; round < 3; round++) {
    let begun = performance.now()
    execFileSync('find', [`${drop}/in`, '-type', 'f', '-printf', '%p %s %T@\n'], { maxBuffer: 1e9 })
    const yardstick = (performance.now() - begun) / 1000
    begun = performance.now()
    const { newest } = await readArrivals(engine, ask)
    const took = (performance.now() - begun) / 1000
    console.log(`${rows} feeds × ${days} days: ${took.toFixed(2)} s, ${(took / yardstick).toFixed(1)} × find (${yardstick.toFixed(2)} s); ${newest.length} due with the newest slice`)
  }
} finally {
  await place.close()
} // prettier-ignore
