import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { rerun } from '../engine/running/runs'
import { stopRun } from '../engine/running/controls'
import { faultBench, until, type FaultBench } from './support/faults'
import { pace, silence } from './support/pace'

vi.setConfig({ testTimeout: 900_000 })

let bench: FaultBench
beforeAll(async () => {
  bench = await faultBench({
    MATTOCK_MEMORY_MB: '500',
    ...silence(4),
    MATTOCK_STOP_SECONDS: '1',
  })
  bench.writeFile('rows.csv', 'v\n1\n2\n3\n')
  bench.begin()
  await bench.rows('create table public.beside (v int)')
})
afterAll(() => bench.close())

/** One load that appends rows; beside it, a run of loads that only wait. */
const bad = (name: string) =>
  `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - id: bring-in
        transfer:
          from: {store: drop, files: rows.csv}
          into: {connection: warehouse, table: public.${name}, write: append, types: {v: integer}}
`.replace(', types: {v: integer}}', '}\n          types: {v: integer}')
const beside = (name: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {range: {from: 1, to: 4}}, at_once: 1}
    do:
      - {id: wait, sql: {on: warehouse, text: 'insert into public.beside select {row.value} from pg_sleep(0.7)'}}
`
const stateOf = async (run: number) =>
  (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state
const ended = (run: number) => until('the run ends', async () => (await stateOf(run)) !== 'running')
const loadOf = async (run: number) =>
  (
    await bench.own('select state, error, deaths, attempt, written from mattock.load where run_id = $1', [
      run,
    ])
  )[0]!

describe('a load whose worker dies twice', () => {
  it('is run in a process of its own, and where that goes well it is done', async () => {
    bench.lay('rows-flowing', 'kill')
    bench.lay('rows-flowing', 'kill', { number: 2 })
    const run = await bench.start(bad('twice'))
    await ended(run)
    expect(await loadOf(run)).toMatchObject({ state: 'done', deaths: 2, attempt: 3, written: 3 })
    expect(await bench.rows('select count(*)::int as n from public.twice')).toEqual([{ n: 3 }])
  })

  it('fails with what was seen where that ends, too; what ran beside it is done', async () => {
    for (const number of [1, 2, 3]) bench.lay('rows-flowing', 'kill', { number })
    const other = await bench.start(beside('beside-a-killer'))
    const run = await bench.start(bad('killer'))
    await ended(run)
    await ended(other)
    const load = await loadOf(run)
    expect(load).toMatchObject({ state: 'failed', deaths: 2, attempt: 3 })
    expect(load.error).toMatchObject({ code: 'worker-ended', step: null })
    expect((load.error as { message: string }).message).toMatch(
      /^run in a process of its own, because it had ended 2 workers, its process ended by signal SIGKILL after \d+ s; the most memory seen was [\d,]+ MB$/,
    )
    // the store of the file has no markers, so nobody can say more
    expect((load.error as { effect: string }).effect).toContain('no step has a marker')
    expect(await bench.own('select distinct state from mattock.load where run_id = $1', [other])).toEqual([
      { state: 'done' },
    ])
    expect(await bench.rows('select count(*)::int as n from public.beside')).toEqual([{ n: 4 }])
  })

  it('stands still there, too: it is not waited for without an end', async () => {
    bench.lay('rows-flowing', 'kill')
    bench.lay('rows-flowing', 'kill', { number: 2 })
    bench.lay('rows-flowing', 'pause', { number: 3 })
    const run = await bench.start(bad('still'))
    await ended(run)
    const load = await loadOf(run)
    expect(load).toMatchObject({ state: 'failed', deaths: 2, written: 0 })
    expect((load.error as { message: string }).message).toMatch(/it stood still for \d+ s after/)
    expect(bench.laid()).toEqual([])
  })

  it('and stood still when all was done: run again, nothing is done twice', async () => {
    bench.lay('rows-flowing', 'kill')
    bench.lay('rows-flowing', 'kill', { number: 2 })
    bench.lay('committed', 'pause')
    const run = await bench.start(bad('took'))
    await ended(run)
    const load = await loadOf(run)
    expect(load).toMatchObject({ state: 'failed', deaths: 2 })
    expect((load.error as { effect: string }).effect).toContain('took effect: bring-in')
    const again = await rerun(bench.engine, run, { by: 'test' })
    await ended(again)
    expect(await loadOf(again)).toMatchObject({ state: 'done', written: 3 })
    expect(await bench.rows('select count(*)::int as n from public.took')).toEqual([{ n: 3 }])
  })

  it('by the memory it takes: the bound holds there, too, and is named', async () => {
    for (const number of [1, 2, 3]) bench.lay('rows-flowing', 'hog', { number, text: '700' })
    const run = await bench.start(bad('hog'))
    await ended(run)
    const load = await loadOf(run)
    expect(load).toMatchObject({ state: 'failed', deaths: 2 })
    expect((load.error as { message: string }).message).toContain('it took more than 500 MB of memory')
    expect(bench.laid()).toEqual([])
  })
})

describe('a load that does not end when its run is stopped', () => {
  it('is ended with its worker within 3 s, and what ran beside it is done', async () => {
    await bench.rows('truncate public.beside')
    bench.lay('rows-flowing', 'hang')
    const other = await bench.start(beside('beside-a-hang'))
    const run = await bench.start(bad('hang'))
    await until('it hangs', () => bench.laid().length === 0)
    const asked = performance.now()
    await stopRun(bench.engine, run)
    await ended(run)
    expect(performance.now() - asked).toBeLessThan(3500 * pace())
    expect(await loadOf(run)).toMatchObject({ state: 'stopped', deaths: 0 })
    await ended(other)
    expect(await bench.rows('select count(*)::int as n from public.beside')).toEqual([{ n: 4 }])
  })
})
