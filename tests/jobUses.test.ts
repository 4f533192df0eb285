import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { jobUses } from '../engine/jobs/uses'
import { saveJob } from '../engine/jobs/versions'
import { testBench, fileJob, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
  bench.writeFile('in.csv', 'id,v\n1,a\n2,b\n')
  await bench.load(fileJob('bring-in', 'in.csv', '{connection: warehouse, table: raw.t, write: replace-all}'))
  await bench.load(`mattock: job/1
name: copy-on
title: Copy on
parts:
  - once:
      - id: copy
        transfer:
          from: {connection: warehouse, table: raw.t}
          into: {connection: warehouse, table: clean.t, write: replace-all}`)
})
afterAll(() => bench.close())

describe('what a job uses', () => {
  it('is what its loads read and wrote, with the jobs that meet it there', async () => {
    const { places } = await jobUses(bench.engine, 'bring-in', 'dev')
    expect(places).toMatchObject([
      { direction: 'read', connection: 'drop', place: 'in.csv', rows: 2, jobs: [] },
      { direction: 'write', connection: 'warehouse', place: 'raw.t', rows: 2, jobs: ['copy-on'] },
    ])
    const next = await jobUses(bench.engine, 'copy-on', 'dev')
    expect(next.places.map(({ direction, place, jobs }) => [direction, place, jobs])).toEqual([
      ['read', 'raw.t', ['bring-in']],
      ['write', 'clean.t', []],
    ])
  })
  it('is one environment’s own', async () => {
    expect((await jobUses(bench.engine, 'bring-in', 'live')).places).toEqual([])
  })
  it('is what its document names, with the other jobs that loop over the same table', async () => {
    const looping = (name: string) => `mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {control: feeds}}
    do: [{id: a, sql: {on: warehouse, text: "select {row.x}, {env.y}"}}]`
    for (const name of ['one', 'two']) await saveJob(bench.engine, looping(name), { by: 'test' })
    expect(await jobUses(bench.engine, 'one', 'dev')).toMatchObject({
      connections: [{ name: 'warehouse', kind: 'postgres' }],
      controls: [{ name: 'feeds', jobs: ['two'] }],
      values: ['y'],
      places: [],
    })
    await expect(jobUses(bench.engine, 'none', 'dev')).rejects.toThrow('there is no job "none"')
  })
  it('does not take a table for another whose name begins alike', async () => {
    await bench.load(`mattock: job/1
name: elsewhere
title: Elsewhere
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: "create table raw.t2 as select 1 as n"}}
      - id: copy
        transfer: {from: {connection: warehouse, table: raw.t2}, into: {connection: warehouse, table: raw.t3, write: replace-all}}`)
    const { places } = await jobUses(bench.engine, 'bring-in', 'dev')
    expect(places[1]!.jobs).toEqual(['copy-on'])
  })
})
