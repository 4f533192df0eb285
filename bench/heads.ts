import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { benchPlace, round, timed } from './place'

/**
 * Planning 10,000 loads, each over a file of its own: the first time each file's beginning is looked at, then what is kept
 * of it is used. The yardstick is a shell that lists the files and reads the beginning of each.
 */
const files = 10_000
const place = await benchPlace(1, 2)
try {
  mkdirSync(join(place.drop, 'in'), { recursive: true })
  for (let i = 0; i < files; i++)
    writeFileSync(join(place.drop, 'in', `reading_${i}.csv`), `id,value,at\n${i},1.5,2026-11-01\n`)
  await saveJob(
    place.engine,
    `
mattock: job/1
name: heads
title: Heads
parts:
  - each: {roster: {range: {as: n, from: 0, to: ${files - 1}}}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "in/reading_{row.n}.csv"}
          into: {connection: warehouse, table: "public.reading", write: append}
`,
    { by: 'bench' },
  )
  const plan = () => makePlan(place.engine, { job: 'heads', environment: 'dev', parameters: {}, by: 'bench' })
  const first = await timed(plan)
  const again = Math.min(await timed(plan), await timed(plan))
  const shell = await timed(() =>
    Promise.resolve(
      execFileSync('bash', ['-c', `for f in "$0"/in/*.csv; do head -c 65536 "$f"; done | wc -c`, place.drop]),
    ),
  )
  console.log(
    JSON.stringify({ what: '10,000 loads over files of their own', new: round(first), known: round(again), yardstick: round(shell), ratio: round(first / shell), known_ratio: round(again / first) }), // prettier-ignore
  )
} finally {
  await place.close()
}
