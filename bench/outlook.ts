import { readArrivals } from '../engine/arrivals/read'
import { lookAhead } from '../engine/scheduling/outlook'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { gatherDecisions } from '../engine/watching/gather'
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
`
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
  i === 0
    ? ''
    : [i - 1, i >> 1]
        .filter((at, n, all) => all.indexOf(at) === n)
        .map((at) => on(`minute-${at}`))
        .join(', '),
])
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
    // an environment begins paused, and then nothing is to come
    await client.query('delete from mattock.pause')
    for (const [name, starts, waits, every] of jobs)
      await saveJob(engine, house(name, starts, waits, every), { by: 'bench' })
    for (let i = 0; i < waiting; i++) {
      const { id } = await makePlan(engine, {
        job: 'stock',
        environment: 'dev',
        parameters: {},
        by: 'bench',
        span: `2026-11-2${1 + (i % 4)}`,
      })
      await startRun(engine, { plan: id, by: 'bench' })
    }
    const span = {
      environment: 'dev',
      from: new Date().toISOString(),
      until: new Date(Date.now() + 86_400_000).toISOString(),
    }
    await lookAhead(engine, span)
    const looked = performance.now()
    const { foreseen } = await lookAhead(engine, span)
    const took = performance.now() - looked
    const begun = performance.now()
    await client.query(
      `select n, to_char(now() + n * interval '1 second', 'YYYY-MM-DD"T"HH24:MI:SS') as at from generate_series(1, $1) n order by at`,
      [foreseen.length],
    )
    const plain = performance.now() - begun
    console.log(
      `${title}: ${foreseen.length.toLocaleString('en')} runs of the next 24 hours in ${took.toFixed(0)} ms, ${(took / plain).toFixed(1)} × what Postgres takes to make as many times`,
    )
    const asks = {
      lookAhead: (ask: Parameters<typeof lookAhead>[1]) => lookAhead(engine, ask),
      readArrivals: (ask: Parameters<typeof readArrivals>[1]) => readArrivals(engine, ask),
    }
    const gathered = performance.now()
    const { decisions } = await gatherDecisions(engine, 'dev', new Date(), asks)
    console.log(
      `its Morning sheet, ${decisions.length} decisions: ${(performance.now() - gathered).toFixed(0)} ms`,
    )
  } finally {
    await place.close()
  }
}
