import { readCoverage } from '../engine/coverage/coverage'
import { readSlice } from '../engine/coverage/oneSlice'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { benchPlace } from './place'
import { layHistory } from './history'

/**
 * Coverage of BENCH_ROWS rows (300) over BENCH_DAYS days (365), from a history of BENCH_LOADS loads (2 million). The
 * yardstick is Postgres handing over the same cells, one row each, through the same connection.
 */
const rows = Number(process.env.BENCH_ROWS ?? 300)
const days = Number(process.env.BENCH_DAYS ?? 365)
const loads = Number(process.env.BENCH_LOADS ?? 2_000_000)
const place = await benchPlace(0, 1)
const { engine } = place
const client = engine.db.$client
const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const begun = performance.now()
  await work()
  return (performance.now() - begun) / 1000
}
try {
  await client.query(`insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-25T05:00:00Z')`)
  const text = `
mattock: job/1
name: wide
title: wide
slices: {every: P1D, zone: UTC, from: 2020-01-01}
parts:
  - each: {roster: {range: {from: 1, to: ${rows}, as: feed}}, at_once: 2}
    do: [{id: tell, log: {text: '{row.feed} {slice.label}'}}]
`
  await saveJob(engine, text, { by: 'bench' })
  const { id, version } = await makePlan(engine, { job: 'wide', environment: 'dev', parameters: {}, by: 'bench', span: '2026-11-24' })
  console.log(`${loads.toLocaleString('en')} loads laid in ${(await seconds(() => layHistory(client, { plan: id, version: version.id, rows, days, loads, until: '2026-11-25' }))).toFixed(0)} s`)
  console.log(`noted by row and slice in ${(await seconds(() => client.query('select mattock.cover_history()'))).toFixed(0)} s, as on the first start after an update`)
  await client.query('vacuum analyze mattock.coverage')
  const ask = { environment: 'dev', from: new Date(Date.parse('2026-11-25') - days * 86_400_000).toISOString(), until: '2026-11-25T00:00:00Z' }
  const plain = () => client.query('select * from mattock.coverage where environment = $1 and job = $2 and slice_from >= $3 and slice_to <= $4', ['dev', 'wide', ask.from, ask.until])
  for (let round = 0; round < 3; round++) {
    const yardstick = await seconds(plain)
    const took = await seconds(() => readCoverage(engine, ask))
    console.log(`${rows} rows × ${days} slices: ${took.toFixed(2)} s, ${(took / yardstick).toFixed(2)} × the plain rows (${yardstick.toFixed(2)} s)`)
  }
  const slice = { environment: 'dev', job: 'wide', part: '#0', row: '7', from: '2026-06-01T00:00:00Z', to: '2026-06-02T00:00:00Z', label: '2026-06-01' }
  console.log(`one slice: ${((await seconds(() => readSlice(engine, slice))) * 1000).toFixed(0)} ms`)
} finally {
  await place.close()
} // prettier-ignore
