import { benchPlace, round } from './place'

/**
 * What a second worker process adds where the database is not the limit: loads that wait for somebody else, a tenth of a second
 * each. At least 1.6 times as many in the same time. (Loads that keep a core busy fill both of this machine's with one worker.)
 */
const loads = 300
const rounds = Number(process.env.ROUNDS ?? 3)

async function loadsASecond(workers: number): Promise<number[]> {
  const place = await benchPlace(workers, 3)
  try {
    const found: number[] = []
    for (let i = 0; i < rounds; i++) found.push(loads / (await place.run(job)).seconds)
    return found
  } finally {
    await place.close()
  }
}

const job = `
mattock: job/1
name: second
title: second
parts:
  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 6}
    do:
      - {id: wait, sql: {on: warehouse, text: "select pg_sleep(0.1), {row.value}"}}
`
const one = await loadsASecond(1)
const two = await loadsASecond(2)
const ratio = round(Math.max(...two) / Math.max(...one))
console.log(
  JSON.stringify({
    what: 'a second worker, loads a second',
    one: one.map(round),
    two: two.map(round),
    ratio,
    least: 1.6,
    good: ratio >= 1.6,
  }),
)
