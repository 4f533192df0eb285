import { lookAhead } from '../engine/scheduling/outlook'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { benchPlace } from './place'

/**
 * How quickly the next 24 hours are looked ahead over: a bakery of 26 jobs (three of every two minutes, slices of five
 * minutes, a few that wait for them, 20 runs that wait already), 50 jobs of every minute that wait for each other, and
 * 1,000 jobs. The yardstick is Postgres: the times of as many starts, made and read over the same connection.
 */
const house = (name: string, starts: string, waits: string, every = 'PT5M') => `
mattock: job/1
name: ${name}
title: ${name}
slices: {every: ${every}, zone: Europe/Oslo, from: 2026-11-20}
${starts ? `starts: [{id: clock, clock: {cron: '${starts}', zone: Europe/Oslo}}]\n` : ''}parts:
  - each: {roster: {range: {from: 1, to: 2}}, at_once: 2${waits ? `, waits: [${waits}]` : ''}}
    do: [{id: tell, log: {text: '{row.value}'}}]
` // prettier-ignore
const on = (job: string) => `{job: {name: ${job}}}`

/** Jobs by their name: starts, and what their loads wait for. */
const bakery: [string, string, string, string?][] = [
  ['ovens', '*/2 * * * *', ''],
  ['tills', '*/2 * * * *', on('ovens')],
  ['stock', '*/2 * * * *', `${on('ovens')}, ${on('tills')}`],
  ...Array.from({ length: 23 }, (_, i): [string, string, string, string?] => [
    `shop-${i}`,
    `${i * 2} ${4 + (i % 4)} * * *`,
    i % 3 === 0 ? on('stock') : i % 3 === 1 ? on(`shop-${i - 1}`) : '',
    'P1D',
  ]),
]
const minutely = Array.from({ length: 50 }, (_, i): [string, string, string] => [
  `minute-${i}`,
  '* * * * *',
  i === 0 ? '' : [i - 1, i >> 1].filter((at, n, all) => all.indexOf(at) === n).map((at) => on(`minute-${at}`)).join(', '),
]) // prettier-ignore
const many = Array.from({ length: 1000 }, (_, i): [string, string, string] => [
  `many-${i}`,
  i % 10 === 0 ? '*/15 * * * *' : `${i % 60} ${i % 24} * * *`,
  i % 7 === 3 ? on(`many-${i - 3}`) : '',
])

for (const [title, jobs, waiting] of [
  ['a bakery of 26 jobs', bakery, 20],
  ['50 jobs of every minute', minutely, 0],
  ['1,000 jobs', many, 0],
] as const) {
  const place = await benchPlace(1, 4)
  try {
    const { engine } = place
    const client = engine.db.$client
    await client.query(`insert into mattock.pause (environment, by, reason, "from") select 'dev', 'bench', 'nothing begins', now() - interval '1 day' on conflict do nothing`).catch(() => undefined) // prettier-ignore
    for (const [name, starts, waits, every] of jobs) await saveJob(engine, house(name, starts, waits, every), { by: 'bench' }) // prettier-ignore
    for (let i = 0; i < waiting; i++) {
      const { id } = await makePlan(engine, { job: 'stock', environment: 'dev', parameters: {}, by: 'bench', span: `2026-11-2${1 + (i % 4)}` }) // prettier-ignore
      await startRun(engine, { plan: id, by: 'bench' })
    }
    await client.query('delete from mattock.pause')
    const span = { environment: 'dev', from: new Date().toISOString(), until: new Date(Date.now() + 86_400_000).toISOString() } // prettier-ignore
    await lookAhead(engine, span)
    const looked = performance.now()
    const { foreseen } = await lookAhead(engine, span)
    const took = performance.now() - looked
    const begun = performance.now()
    await client.query(`select n, to_char(now() + n * interval '1 second', 'YYYY-MM-DD"T"HH24:MI:SS') as at from generate_series(1, $1) n order by at`, [foreseen.length]) // prettier-ignore
    const plain = performance.now() - begun
    console.log(`${title}: ${foreseen.length.toLocaleString('en')} runs of the next 24 hours in ${took.toFixed(0)} ms, ${(took / plain).toFixed(1)} × what Postgres takes to make as many times`) // prettier-ignore
  } finally {
    await place.close()
  }
}
