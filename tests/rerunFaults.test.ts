import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { FaultPoint } from '../engine/context/faultPoints'
import { startMending } from '../engine/mending/start'
import { verifyRun } from '../engine/proof/verify'
import { rerun } from '../engine/running/runs'
import { fileJob } from './support/bench'
import { faultBench, until, type FaultBench } from './support/faults'

vi.setConfig({ testTimeout: 900_000 })

// Reruns from a step, and rows that were mended, with a worker killed before, within and after each.

let bench: FaultBench
beforeAll(async () => {
  bench = await faultBench()
  bench.begin()
  bench.begin()
})
afterAll(() => bench.close())

const points: FaultPoint[] = ['load-taken', 'load-started', 'before-commit', 'committed', 'step-recorded', 'before-finish'] // prettier-ignore
const stateOf = async (run: number) => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state // prettier-ignore
const ended = async (run: number) => {
  await until('the run ends', async () => !['running', 'waiting'].includes((await stateOf(run)) as string))
  return await stateOf(run)
}
const holds = async (run: number) => {
  for await (const proof of verifyRun(bench.engine, run, new AbortController().signal))
    expect(proof).toMatchObject({ holds: true, why: null })
}

describe('a rerun from the step that failed, its worker killed', () => {
  for (const point of points)
    it(`at ${point}: what was kept is not done again, and the rest is done once`, async () => {
      const table = `kept_${point.replace('-', '_')}`
      await bench.rows(
        `create table public.${table} (n int); create table public.${table}_more (n int); create table public.${table}_gate (n int)`,
      )
      const run = await bench.start(`mattock: job/1
name: ${table}
title: x
parts:
  - once:
      - {id: first, transfer: {from: {connection: warehouse, query: 'select generate_series(1, 100) as n'}, into: {connection: warehouse, table: public.${table}, write: append}}}
      - {id: gate, sql: {on: warehouse, text: 'select 1 / count(*) from public.${table}_gate'}}
      - {id: more, transfer: {from: {connection: warehouse, table: public.${table}}, into: {connection: warehouse, table: public.${table}_more, write: append}}}
`)
      expect(await ended(run)).toBe('failed')
      await bench.rows(`insert into public.${table}_gate values (1)`)
      bench.lay(point, 'kill')
      const again = await rerun(bench.engine, run, { by: 'test', from: { failed: true } })
      expect(await ended(again)).toBe('done')
      expect(bench.laid()).toEqual([])
      const [counted] = await bench.rows(
        `select (select count(*)::int from public.${table}) as first, (select count(*)::int from public.${table}_more) as more`,
      )
      expect(counted).toEqual({ first: 100, more: 100 })
      const [load] = await bench.own('select read::int, written::int from mattock.load where run_id = $1', [
        again,
      ])
      expect(load).toEqual({ read: 100, written: 100 })
      await holds(run)
      await holds(again)
    })
})

describe('mended rows, their worker killed', () => {
  for (const point of points)
    it(`at ${point}: each is there once`, async () => {
      const table = `mended_${point.replace('-', '_')}`
      bench.writeFile(`${table}.csv`, 'meter,value\na,1\nb,x\nc,y\n')
      await bench.rows(`create table public.${table} (meter text, value integer)`)
      const run = await bench.start(
        fileJob(
          table,
          `${table}.csv`,
          `{connection: warehouse, table: public.${table}, write: append}`,
          'rejects: keep',
        ),
      )
      expect(await ended(run)).toBe('done')
      const [load] = await bench.own('select id::int as id from mattock.load where run_id = $1', [run])
      bench.lay(point, 'kill')
      const rows = [{ at: 0, values: ['b', '2'] }, { at: 1, values: ['c', '3'] }] // prettier-ignore
      const mending = await startMending(bench.engine, run, load!.id as number, 'bring-in', rows, {
        by: 'test',
      })
      expect(await ended(mending)).toBe('done')
      expect(bench.laid()).toEqual([])
      expect(await bench.rows(`select meter, value from public.${table} order by 1`)).toEqual([
        { meter: 'a', value: 1 },
        { meter: 'b', value: 2 },
        { meter: 'c', value: 3 },
      ])
      await holds(mending)
    })
})
