import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { benchPlace, round, timed } from './place'

/**
 * Planning 10,000 loads, each over a file of its own: the first time each file's beginning is looked at and held against
 * the types of the table, then what is kept of it is used; and 300,000 loads, 30 slices of each. The yardstick is a shell
 * that lists the files and reads the beginning of each.
 */
const files = 10_000
const place = await benchPlace(1, 2)
try {
  mkdirSync(join(place.drop, 'in'), { recursive: true })
  for (let i = 0; i < files; i++)
    writeFileSync(join(place.drop, 'in', `reading_${i}.csv`), `id,value,at\n${i},1.5,2026-11-01\n`)
  await place.warehouse.query('create table reading (id int, value numeric, at date)')
  const job = (name: string, more: string, write: string) =>
    saveJob(
      place.engine,
      `
mattock: job/1
name: ${name}
title: Heads
${more}
parts:
  - each: {roster: {range: {as: n, from: 0, to: ${files - 1}}}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "in/reading_{row.n}.csv"}
          into: {connection: warehouse, table: "public.reading", write: ${write}}
`,
      { by: 'bench' },
    )
  await job('heads', '', 'append')
  await job('sliced', 'slices: {every: P1D, zone: UTC, from: 2026-01-01}', 'replace-slice, slice_by: at')
  const ask = { environment: 'dev', parameters: {}, by: 'bench' }
  const plan = () => makePlan(place.engine, { ...ask, job: 'heads' })
  const first = await timed(plan)
  const again = Math.min(await timed(plan), await timed(plan))
  const shell = await timed(() =>
    Promise.resolve(
      execFileSync('bash', ['-c', `for f in "$0"/in/*.csv; do head -c 65536 "$f"; done | wc -c`, place.drop]),
    ),
  )
  const days = { ...ask, job: 'sliced', span: '2026-10-01/2026-10-31' }
  let loads = 0
  const many = await timed(async () => {
    loads = (await makePlan(place.engine, days)).plan.loads.length
  })
  const manyAgain = await timed(() => makePlan(place.engine, days))
  console.log(
    JSON.stringify({ what: '10,000 loads over files of their own', new: round(first), known: round(again), yardstick: round(shell), ratio: round(first / shell), known_ratio: round(again / first), loads, sliced: round(many), sliced_again: round(manyAgain), sliced_ratio: round(manyAgain / shell) }), // prettier-ignore
  )
} finally {
  await place.close()
}
