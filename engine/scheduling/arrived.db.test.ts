import { appendFileSync, renameSync, utimesSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../jobs/versions'
import { testBench, type TestBench } from '../../tests/support/bench'
import { lookAtArrived, watchArrived } from './arrived'
import { pauseStarts, endPause } from './pauses'
import { startScheduler } from './scheduler'
import { syncStarts } from './states'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(4)
  await bench.own('delete from mattock.pause')
})
afterAll(() => bench.close())

const day = (ago: number) => new Date(Date.now() - ago * 86_400_000).toISOString().slice(0, 10)
const job = (name: string, arrived: string) => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: P1D, zone: UTC, from: ${day(9)}}
starts:
  - {id: files, arrived: ${arrived}}
parts:
  - each: {roster: {rows: [{feed: a}, {feed: "b's"}], key: [feed]}}
    do:
      - id: take
        transfer:
          from: {store: drop, files: "${name}/{row.feed}_{slice.label}.csv"}
          into: {connection: warehouse, table: public.came_${name}, write: append}
`
interface Row {
  readonly environment: string
  readonly job: string
  readonly start: string
  readonly kind: string
  readonly since: string
  readonly text: string
}
const rowOf = async (name: string) =>
  (await bench.own(
    `select s.environment, s.job, s.start, s.kind, s.since, v.text from mattock.start_state s join mattock.job_version v on v.id = s.version_id where s.job = $1 and s.environment = 'dev'`,
    [name],
  ))[0] as unknown as Row // prettier-ignore
const set = async (name: string, arrived: string) => {
  await bench.rows(`create table came_${name} (feed text, day text, n int)`)
  await saveJob(bench.engine, job(name, arrived), { by: 'test' })
  await syncStarts(bench.engine)
  return await rowOf(name)
}
const write = (name: string, feed: string, ago: number, n: number, more = '') =>
  bench.writeFile(`${name}/${feed}_${day(ago)}.csv`, `feed,day,n\n${feed},${day(ago)},${n}\n${more}`)
const decisions = (name: string) =>
  bench.own(
    `select state, cause, why, picks, to_char("from" at time zone 'utc', 'YYYY-MM-DD') as "from" from mattock.occasion where job = $1 order by id`,
    [name],
  )
describe('a start when files arrive', () => {
  it('begins a slice when all of its files are there, and whole, once', async () => {
    const row = await set('whole', '{}')
    write('whole', 'a', 1, 1)
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('whole')).toEqual([])
    write('whole', "b's", 1, 2)
    // it may still grow
    const { unsettled } = await lookAtArrived(bench.engine, row, 60_000)
    expect(unsettled).toBe(true)
    expect(await decisions('whole')).toEqual([])
    await Promise.all([1, 2, 3].map(() => lookAtArrived(bench.engine, row, 0)))
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('whole')).toMatchObject([
      { state: 'due', cause: `all 2 that are expected for ${day(1)} came`, picks: null, from: day(1) },
    ])
  })
  it('begins for each file alone, again where it came with other content, and not for those of before', async () => {
    write('each', 'a', 2, 1)
    const old = new Date(Date.now() - 3_600_000)
    utimesSync(join(bench.drop, `each/a_${day(2)}.csv`), old, old)
    const row = await set('each', '{wait_for: each}')
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('each')).toEqual([])
    write('each', "b's", 1, 2)
    await lookAtArrived(bench.engine, row, 0)
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('each')).toMatchObject([
      { cause: `b's_${day(1)}.csv came`, picks: [{ row: "b's" }], from: day(1) },
    ])
    write('each', "b's", 1, 3, 'x,y,4\n')
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('each')).toHaveLength(2)
  })
  it('takes what nobody has touched for some seconds at the first look, and not what is still written to', async () => {
    const row = await set('touched', '{wait_for: each}')
    await new Promise((resolve) => setTimeout(resolve, 20))
    write('touched', 'a', 1, 1)
    write('touched', "b's", 1, 1)
    await new Promise((resolve) => setTimeout(resolve, 700))
    // one goes on growing while it is looked at
    const growing = setInterval(
      () => appendFileSync(join(bench.drop, `touched/b's_${day(1)}.csv`), 'x,y,1\n'),
      50,
    )
    await lookAtArrived(bench.engine, row, 500)
    clearInterval(growing)
    expect(await decisions('touched')).toMatchObject([{ picks: [{ row: 'a' }] }])
    expect(await decisions('touched')).toHaveLength(1)
  })
  it('waits for the marker that says that a file is whole', async () => {
    const row = await set('marked', '{wait_for: each, marker: .done}')
    write('marked', 'a', 1, 1)
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('marked')).toEqual([])
    bench.writeFile(`marked/a_${day(1)}.csv.done`, '')
    await lookAtArrived(bench.engine, row, 0)
    expect(await decisions('marked')).toHaveLength(1)
  })
  it('decides when a pause ends about what came meanwhile, about each for itself', async () => {
    const row = await set('paused', '{wait_for: each}')
    const id = await pauseStarts(bench.engine, {
      environment: 'dev',
      job: 'paused',
      why: 'a pause',
      by: 'test',
    })
    write('paused', 'a', 1, 1)
    await lookAtArrived(bench.engine, row, 0)
    write('paused', "b's", 1, 1)
    await lookAtArrived(bench.engine, row, 0)
    expect((await decisions('paused')).map(({ state }) => state)).toEqual(['paused', 'paused'])
    await endPause(bench.engine, id, 'test')
    const end = startScheduler(bench.engine, { look: 50 })
    await expect.poll(async () => (await decisions('paused')).map(({ state }) => state)).toEqual(['started', 'started']) // prettier-ignore
    await end()
  })
  it('brings what came, by itself, as it is moved there', async () => {
    await set('live', '{wait_for: each}')
    const endScheduler = startScheduler(bench.engine, { look: 50 })
    const end = watchArrived(bench.engine, { every: 50, still: 300 })
    try {
      bench.writeFile(`elsewhere.tmp`, `feed,day,n\na,${day(1)},7\n`)
      write('live', "b's", 3, 8)
      await expect.poll(() => bench.rows('select feed, n from came_live order by n'), { timeout: 30_000 }).toEqual([{ feed: "b's", n: 8 }]) // prettier-ignore
      renameSync(join(bench.drop, 'elsewhere.tmp'), join(bench.drop, `live/a_${day(1)}.csv`))
      await expect.poll(() => bench.rows('select feed, n from came_live order by n'), { timeout: 30_000 }).toEqual([{ feed: 'a', n: 7 }, { feed: "b's", n: 8 }]) // prettier-ignore
      const runs = await bench.own(`select r.cause, (select count(*)::int from mattock.load l where l.run_id = r.id) as loads from mattock.run r where r.job = 'live' order by id`) // prettier-ignore
      expect(runs).toMatchObject([{ cause: `b's_${day(3)}.csv came`, loads: 1 }, { loads: 1 }])
    } finally {
      end()
      await endScheduler()
    }
  })
  it('finds what comes while it lists a folder', async () => {
    await set('between', '{wait_for: each}')
    bench.writeFile('between/a note.txt', '')
    const end = watchArrived(bench.engine, { every: 30, still: 0 })
    const other = await bench.engine.db.$client.connect()
    const waits = async () => (await bench.own(`select 1 from pg_locks where relation = 'mattock.loaded_file'::regclass and not granted`)).length
    try {
      // a look has been at the folder, and another begins, which is held up after it has listed it
      await new Promise((resolve) => setTimeout(resolve, 500))
      await other.query('begin')
      await other.query('lock table mattock.loaded_file in access exclusive mode')
      bench.writeFile('between/another note.txt', '')
      await expect.poll(waits).toBe(1)
      write('between', 'a', 1, 1)
      await other.query('commit')
      await expect.poll(async () => (await decisions('between')).length).toBe(1)
    } finally {
      await other.query('rollback')
      other.release()
      end()
    }
  }) // prettier-ignore
  it('is told where its store cannot be read, and keeps no other from its time', async () => {
    const broken = job('broken', '{}').replace('store: drop', 'store: nowhere')
    await saveJob(bench.engine, broken, { by: 'test' })
    await syncStarts(bench.engine)
    await set('beside', '{wait_for: each}')
    const end = watchArrived(bench.engine, { every: 50, still: 0 })
    write('beside', 'a', 1, 1)
    await expect.poll(async () => (await decisions('beside')).length).toBe(1)
    end()
  })
})
