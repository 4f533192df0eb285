import { createWriteStream, statSync } from 'node:fs'
import { once } from 'node:events'
import { join } from 'node:path'
import { listDatasets } from '../engine/catalog/list'
import { datasetPage } from '../engine/catalog/page'
import { askProfile } from '../engine/catalog/profile'
import { acceptProposals } from '../engine/survey/accept'
import { startSurvey } from '../engine/survey/survey'
import { benchPlace, round } from './place'

/**
 * A catalog of 5,000 datasets: a search answers within 100 ms, a dataset's page within 1 s (without the browser). And
 * the profile of a CSV file of 1 GB: the worker stays within 800 MB.
 */
const place = await benchPlace(1, 2)
const client = place.engine.db.$client

async function surveyed(connection: string): Promise<number> {
  const begun = performance.now()
  const id = await startSurvey(place.engine, {
    connection,
    environment: 'dev',
    scope: { include: [], exclude: [], prefix: '' },
    by: 'bench',
  })
  for (;;) {
    const { rows } = await client.query<{ state: string; fault: string | null }>(
      'select state, fault from mattock.survey where id = $1',
      [id],
    )
    if (rows[0]!.fault) throw new Error(rows[0]!.fault)
    if (rows[0]!.state === 'done') break
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  await acceptProposals(place.engine, id, undefined, 'bench')
  return (performance.now() - begun) / 1000
}

async function median(work: (i: number) => Promise<unknown>): Promise<{ middle: number; worst: number }> {
  const times: number[] = []
  for (let i = 0; i < 40; i++) {
    const begun = performance.now()
    await work(i)
    times.push(performance.now() - begun)
  }
  times.sort((a, b) => a - b)
  return { middle: Math.round(times[20]!), worst: Math.round(times.at(-1)!) }
}

try {
  await place.warehouse.query(`do $$ begin for i in 1..5000 loop
    execute format('create table t%s (id bigint primary key, meter_%s text, read_at timestamptz, value_%s double precision, note text)', i, i % 97, i % 13);
    if i % 500 = 0 then commit; end if; end loop; end $$`)
  console.log(`5,000 tables: surveyed and taken in, in ${round(await surveyed('warehouse'))} s`)
  // a history of use, as the filter of idle datasets reads it
  await client.query(`insert into mattock.touch (environment, connection, locator, direction, job, run_id, load_id, step, rows, at)
    select 'dev', 'warehouse', 'public.t' || (i % 5000 + 1), 'write', 'j', 1, i, 's', 10, now() - i * interval '1 minute' from generate_series(1, 200000) i`)
  await client.query('analyze mattock.touch; analyze mattock.dataset')
  const ask = { environment: 'dev', search: '', days: 7, offset: 0, limit: 100 }
  const searches = ['t49', 'meter_13', 'value_7 note', 'nothing like it', 'public']
  console.log(
    '  search:',
    await median((i) => listDatasets(place.engine, { ...ask, search: searches[i % searches.length]! })),
    'ms',
  )
  console.log(
    '  not touched for 7 days:',
    await median(() => listDatasets(place.engine, { ...ask, flag: 'idle' })),
    'ms',
  )
  const { datasets } = await listDatasets(place.engine, ask)
  console.log('  a page:', await median((i) => datasetPage(place.engine, datasets[i]!.id)), 'ms')
  const big = join(place.drop, 'huge.csv')
  const out = createWriteStream(big)
  out.write('id,meter,read_at,value,state,note\n')
  for (let i = 0; out.bytesWritten < 1e9; i++) {
    const line = `${i},M-${i % 50000},2026-11-${String(1 + (i % 28)).padStart(2, '0')} ${String(i % 24).padStart(2, '0')}:15:00+00,${((i * 7919) % 99991) / 8},${i % 7 ? 'ok' : 'estimated'},${(i * 2654435761) % 4294967296}\n`
    if (!out.write(line)) await once(out, 'drain')
  }
  out.end()
  await once(out, 'finish')
  console.log(
    `a CSV file of ${(statSync(big).size / 1e6).toFixed(0)} MB: surveyed in ${round(await surveyed('drop'))} s`,
  )
  const { rows: found } = await client.query<{ id: number }>(
    `select id from mattock.dataset where connection = 'drop'`,
  )
  const begun = performance.now()
  await askProfile(place.engine, found[0]!.id)
  for (;;) {
    const { rows } = await client.query<{ state: string; fault: string | null; rows: number }>(
      'select state, fault, rows from mattock.dataset_profile',
    )
    if (rows[0]!.fault) throw new Error(rows[0]!.fault)
    if (rows[0]!.state === 'done') {
      console.log(
        `  profiled, ${rows[0]!.rows} rows, in ${round((performance.now() - begun) / 1000)} s; worker's memory ${await place.workerMemory()} MB`,
      )
      break
    }
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
} finally {
  await place.close()
}
