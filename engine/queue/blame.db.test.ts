import { afterAll, beforeAll, expect, it } from 'vitest'
import { saveJob } from '../jobs/versions'
import { makePlan } from '../planning/plan'
import { startRun } from '../running/runs'
import { testBench, type TestBench } from '../../tests/support/bench'

// Which loads a worker that ended is held against: workers are rows here, which end as often as it takes.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())

const worker = async (): Promise<number> =>
  (await bench.own(`insert into mattock.worker (host, pid, capacity) values ('test', 1, 8) returning id`))[0]!
    .id as number
/** A worker takes loads, does so many steps of each, and ends in the middle of the next without a word. */
async function diesWith(loads: number, steps: (at: number) => number): Promise<number[]> {
  const id = await worker()
  const taken = (await bench.own('select load_id::int as id, attempt from mattock.take_loads($1, $2)', [
    id,
    loads,
  ])) as { id: number; attempt: number }[]
  for (const [at, load] of taken.entries())
    await bench.own(
      `insert into mattock.load_step (load_id, position, attempt, step, kind, state, started_at) select $1, n, $2, 'step ' || n, 'log', 'done', now() from generate_series(1, $3) n on conflict do nothing`,
      [load.id, load.attempt, steps(at)],
    )
  await bench.own(`update mattock.worker set beat_at = beat_at - interval '1 hour' where id = $1`, [id])
  await bench.own(`select mattock.take_over('15 s')`)
  return taken.map((load) => load.id)
}
const deaths = async (loads: readonly number[]) =>
  (await bench.own('select deaths from mattock.load where id = any ($1) order by id', [loads])).map(
    ({ deaths: n }) => n,
  )

async function runOf(name: string, loads: number): Promise<number> {
  const text = `mattock: job/1\nname: ${name}\ntitle: ${name}\nparts:\n  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 8}\n    do:\n      - {id: a, log: {text: "{row.value}"}}\n`
  await saveJob(bench.engine, text, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job: name, environment: 'dev', parameters: {}, by: 'test' })
  return await startRun(bench.engine, { plan: id, by: 'test' })
}
const over = (run: number) =>
  bench
    .own(`update mattock.load set state = 'done' where run_id = $1 and state in ('waiting', 'running')`, [
      run,
    ])
    .then(() =>
      bench.own(`update mattock.run_part set state = 'done', waiting = 0, running = 0 where run_id = $1`, [
        run,
      ]),
    )
    .then(() => bench.own(`update mattock.run set state = 'done' where id = $1`, [run]))

it('one that ran beside others, in another step each time, is not blamed, however often', async () => {
  const run = await runOf('many', 4)
  for (let i = 0; i < 6; i++) {
    const loads = await diesWith(4, () => i)
    expect(loads).toHaveLength(4)
    expect(await deaths(loads)).toEqual([0, 0, 0, 0])
  }
  await over(run)
})

it('one that was in the same step twice is, for both', async () => {
  const run = await runOf('twice', 2)
  const first = await diesWith(2, () => 1)
  expect(await deaths(first)).toEqual([0, 0])
  expect(await deaths(await diesWith(2, (at) => (at === 0 ? 1 : 2)))).toEqual([2, 0])
  await over(run)
})

it('one that was alone is; and once it runs in a process of its own its worker’s end is not its doing', async () => {
  const run = await runOf('alone', 1)
  const counts: unknown[] = []
  for (let i = 0; i < 5; i++) counts.push(...(await deaths(await diesWith(1, () => i))))
  expect(counts).toEqual([1, 2, 2, 2, 2])
  await over(run)
})

it('those that a worker names when its memory runs out are', async () => {
  const run = await runOf('memory', 3)
  const id = await worker()
  const taken = (await bench.own('select load_id::int as id from mattock.take_loads($1, 3)', [id])).map(
    (load) => load.id as number,
  )
  await bench.own('select mattock.leave_worker($1, $2)', [id, taken.slice(0, 2)])
  expect(await deaths([...taken].sort((a, b) => a - b))).toEqual([1, 1, 0])
  await over(run)
})
