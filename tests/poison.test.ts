import { dirname } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { startSurvey } from '../engine/survey/survey'
import { faultBench, until, type FaultBench } from './support/faults'
import { pace } from './support/pace'
import { makePoisons, poisons } from './support/poison'

// files that do harm: nothing that reads one ends, hangs, or takes it for something else

let bench: FaultBench
beforeAll(async () => {
  bench = await faultBench({ MATTOCK_MEMORY_MB: '1024', MATTOCK_SILENCE_SECONDS: '15' })
  makePoisons(bench.drop)
  bench.begin(2)
  await until('the worker beats', async () => (await bench.own('select 1 from mattock.worker')).length === 1)
})
afterAll(() => bench.close())

const pids = async () => (await bench.own('select pid from mattock.worker order by id')).map(({ pid }) => pid)

const job = (path: string, name: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [{path: '${path}'}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: '{row.path}', format: detect}
          into: {connection: warehouse, table: 'public.${name.replaceAll('-', '_')}', write: append}
`

describe('a file that does harm', () => {
  it.each(poisons)(
    '$path: is surveyed, planned and loaded within 10 s each, and refused in words',
    async ({ path, says }) => {
      const before = await pids()
      const name = `p-${dirname(path)}`
      const times: Record<string, number> = {}
      const timed = async <T>(what: string, work: () => Promise<T>): Promise<T> => {
        const begun = performance.now()
        try {
          return await work()
        } finally {
          times[what] = Math.round(performance.now() - begun)
        }
      }
      const survey = await startSurvey(bench.engine, {
        environment: 'dev',
        connection: 'drop',
        scope: { include: [`${dirname(path)}/**`], exclude: [], prefix: '' },
        by: 'test',
      } as never)
      await timed('survey', () =>
        until(
          'the survey ends',
          async () =>
            !['waiting', 'running'].includes(
              (await bench.own('select state from mattock.survey where id = $1', [survey]))[0]!
                .state as string,
            ),
          60,
        ),
      )
      await saveJob(bench.engine, job(path, name), { by: 'test' })
      const { id } = await timed('plan', () =>
        makePlan(bench.engine, { job: name, environment: 'dev', parameters: {}, by: 'test' }),
      )
      const findings = await bench.own('select findings from mattock.plan where id = $1', [id])
      let loads: Record<string, unknown>[] = []
      const started = await timed('load', async () => {
        const run = await startRun(bench.engine, { plan: id, by: 'test' }).catch(
          (error: Error) => error.message,
        )
        if (typeof run === 'string') return run
        await until(
          'the load ends',
          async () =>
            (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state !== 'running',
          90,
        )
        loads = await bench.own(
          'select state, error, written, read, rejected from mattock.load where run_id = $1',
          [run],
        )
        return run
      })
      const words = JSON.stringify({ found: findings[0]!.findings, loads, started })
      const [seen] = await bench.own('select state, fault from mattock.survey where id = $1', [survey])
      expect(seen).toEqual({ state: 'done', fault: null })
      expect(words).toMatch(says)
      expect(loads.every(({ state, written }) => state === 'failed' && written === 0)).toBe(true)
      expect(Object.entries(times).filter(([, took]) => took > 10_000 * pace())).toEqual([])
      expect(await pids()).toEqual(before)
    },
    300_000,
  )
})
