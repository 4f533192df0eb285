import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { startRun } from '../engine/running/runs'
import { goOn, stopRun } from '../engine/running/controls'
import type { FaultPoint } from '../engine/context/faultPoints'
import { faultBench, until, type FaultBench } from './support/faults'

// what is promised at each point is in docs/exactness.md

// a process that is begun again takes seconds of its own where the machine is slow
vi.setConfig({ testTimeout: 900_000 })

let bench: FaultBench
beforeAll(async () => {
  bench = await faultBench()
  for (let load = 1; load <= loads; load++)
    bench.writeFile(
      `in/${load}.csv`,
      `n,id,v\n${Array.from({ length: 200 }, (_, i) => `${load},${i},${i * load}`).join('\n')}\n`,
    )
  bench.begin()
  bench.begin()
})
afterAll(() => bench.close())

const loads = 6
/** Loads that append the same rows each, and export them, so that one done twice or not at all shows. */
const job = (name: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: 'create table public.{name(param.table)} (n int, id int, v int)'}}
  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: 'in/{row.value}.csv'}
          into: {connection: warehouse, table: 'public.{param.table}', write: append}
      - id: take-out
        transfer:
          from: {connection: warehouse, query: 'select g as id, g * 2 as v from generate_series(1, 50) g'}
          into: {store: drop, file: 'out/{param.table}/{row.value}.csv'}
`
const withTable = (name: string, table: string) =>
  job(name).replace('parts:', `parameters:\n  table: {type: text, default: ${table}}\nparts:`)

async function exact(run: number, table: string): Promise<void> {
  expect(
    await bench.rows(
      `select count(*)::int as rows, count(distinct (n, id))::int as ids from public.${table}`,
    ),
  ).toEqual([{ rows: loads * 200, ids: loads * 200 }])
  expect(
    await bench.own(
      `select state, count(*)::int as n, sum(read)::int as read, sum(written)::int as written from mattock.load where run_id = $1 and each group by 1`,
      [run],
    ),
  ).toEqual([{ state: 'done', n: loads, read: loads * 250, written: loads * 250 }])
  const folder = join(bench.drop, 'out', table)
  // nothing half done is left beside the true names
  expect(readdirSync(folder).sort()).toEqual(Array.from({ length: loads }, (_, i) => `${i + 1}.csv`))
  for (const file of readdirSync(folder))
    expect(readFileSync(join(folder, file), 'utf8').trim().split('\n')).toHaveLength(51)
}

describe('a worker that is killed', () => {
  const points: FaultPoint[] = [
    'load-taken', 'load-started', 'rows-flowing', 'before-commit', 'committed', 'file-written', 'file-named',
    'step-recorded', 'before-finish', 'finished',
  ] // prettier-ignore
  for (const point of points)
    it(`at ${point}: another takes its loads, and each took effect once`, async () => {
      bench.lay(point, 'kill')
      const table = `kill_${point.replace('-', '_')}`
      const run = await bench.start(withTable(`kill-${point}`, table))
      await until('the run ends', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state !== 'running') // prettier-ignore
      expect(bench.laid()).toEqual([])
      await exact(run, table)
    })
})

describe('a worker that stands still, and wakes when another has done its load', () => {
  beforeAll(async () => {
    // those that were killed often are begun again after longer pauses
    await bench.end()
    bench.begin()
    bench.begin()
  })
  for (const point of ['before-commit', 'file-written', 'before-finish'] as const)
    it(`at ${point}: what it does then counts for nothing`, async () => {
      bench.lay(point, 'pause')
      const table = `pause_${point.replace('-', '_')}`
      const run = await bench.start(withTable(`pause-${point}`, table))
      const paused = async () => {
        const rows = await bench.own('select pid from mattock.worker')
        return rows.map(({ pid }) => Number(pid)).find(isStopped)
      }
      let pid: number | undefined
      await until('one stands still', async () => (pid = await paused()) !== undefined)
      await until('the others do its loads', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state !== 'running') // prettier-ignore
      // whoever keeps it may have ended it for its silence
      if (isStopped(pid!)) process.kill(pid!, 'SIGCONT')
      // it comes to the end of its old load, and is back; else it would meet what is laid for the next case
      await until('it is back, or gone', async () => {
        const [row] = await bench.own('select holding from mattock.worker where pid = $1', [pid])
        return !existsSync(`/proc/${pid}`) || (row !== undefined && (row.holding as number[]).length === 0)
      })
      await exact(run, table)
    })
})

const isStopped = (pid: number): boolean => {
  try {
    return /^State:\s+T/m.test(readFileSync(`/proc/${pid}/status`, 'utf8'))
  } catch {
    return false
  }
}

describe('a load that stops for a look', () => {
  const looked = `
mattock: job/1
name: looked
title: looked
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: 'create table public.looked (v int)'}}
      - {id: fill, hold: true, transfer: {from: {connection: warehouse, query: 'select 1 as v'}, into: {connection: warehouse, table: public.looked, write: append}}}
      - {id: also, transfer: {from: {connection: warehouse, query: 'select 2 as v'}, into: {connection: warehouse, table: public.looked, write: append}}}
`
  it('holds though its worker is killed, and goes on though its next one is, with nothing done twice', async () => {
    bench.lay('before-finish', 'kill')
    const run = await bench.start(looked)
    const load = async () => (await bench.own('select id, state, attempt from mattock.load where run_id = $1', [run]))[0] as { id: number; state: string; attempt: number } // prettier-ignore
    await until('it holds', async () => (await load()).state === 'held')
    expect(bench.laid()).toEqual([])
    expect(await bench.rows('select v from public.looked')).toEqual([{ v: 1 }])
    bench.lay('step-recorded', 'kill')
    await goOn(bench.engine, run, [Number((await load()).id)])
    await bench.ended(run)
    // with what it failed by, where it did
    expect((await bench.own('select state, error, deaths from mattock.load where run_id = $1', [run]))[0]).toMatchObject({ state: 'done', error: null }) // prettier-ignore
    expect(bench.laid()).toEqual([])
    expect(await bench.rows('select v from public.looked order by v')).toEqual([{ v: 1 }, { v: 2 }])
    expect((await load()).attempt).toBe(4)
  })
})

describe('a condition that a worker was asked for', () => {
  it('is asked again where the one that was asked is gone, and the run ends', async () => {
    const run = await bench.start(`
mattock: job/1
name: asked
title: asked
parts:
  - once:
      - {id: first, log: {text: first}}
  - when: '1 + 1 == 2'
    hold: true
    once:
      - {id: second, log: {text: second}}
  - when: 'run.id > 0'
    once:
      - {id: third, log: {text: third}}
`)
    const part = async (number: number) => (await bench.own('select state from mattock.run_part where run_id = $1 and part = $2', [run, number]))[0]!.state // prettier-ignore
    await until('the second holds', async () => (await part(1)) === 'held')
    // the queue's job is taken by nobody that is there any more
    await bench.end()
    await goOn(bench.engine, run)
    expect(await part(2)).toBe('asking')
    await bench.own(`delete from graphile_worker._private_jobs where key = $1`, [`decide:${run}:2`])
    bench.begin()
    expect(await bench.ended(run)).toBe('done')
  })
})

describe('a load since a mark', () => {
  it.each(['before-commit', 'committed', 'step-recorded'] as const)(
    'moves its mark with its rows, and once, though its worker is killed at %s',
    async (point) => {
      const name = `since-${point}`
      const table = name.replaceAll('-', '_')
      await bench.rows(`create table public.${table} (id int primary key)`)
      await bench.rows(`insert into public.${table} select generate_series(1, 500)`)
      const document = `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - {id: bring-in, transfer: {from: {connection: warehouse, table: public.${table}}, into: {connection: warehouse, table: public.${table}_to, write: append}, since: {column: id, kept_as: ${name}}}}
`
      const ended = async (run: number) => await until('the run ends', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state === 'done') // prettier-ignore
      bench.lay(point, 'kill')
      await ended(await bench.start(document))
      expect(bench.laid()).toEqual([])
      await bench.rows(`insert into public.${table} select generate_series(501, 700)`)
      await ended(await bench.start(document))
      expect(await bench.rows(`select count(*)::int as n, count(distinct id)::int as ids from public.${table}_to`)).toEqual([{ n: 700, ids: 700 }]) // prettier-ignore
      expect(await bench.own(`select "from", "to" from mattock.mark_move where name = $1 order by id`, [name])).toEqual([{ from: null, to: '500' }, { from: '500', to: '700' }]) // prettier-ignore
    },
  )
})

describe('a run that a load began', () => {
  it.each(['run-begun', 'before-finish', 'load-started'] as const)(
    'is begun once and waited for, though the worker is killed at %s',
    async (point) => {
      const called = `called-${point}`
      await saveJob(bench.engine, withTable(called, called.replaceAll('-', '_')), { by: 'test' })
      bench.lay(point, 'kill')
      const run = await bench.start(`
mattock: job/1
name: calls-${point}
title: calls
parts:
  - once:
      - {id: call, job: {name: ${called}}}
`)
      await until('the run ends', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state !== 'running') // prettier-ignore
      expect(bench.laid()).toEqual([])
      const runs = await bench.own('select id, state from mattock.run where job = $1', [called])
      expect(runs).toMatchObject([{ state: 'done' }])
      await exact(runs[0]!.id as number, called.replaceAll('-', '_'))
      expect(await bench.own('select state from mattock.load where run_id = $1', [run])).toEqual([{ state: 'done' }]) // prettier-ignore
    },
  )
})

describe('files that are taken away', () => {
  const cleared = (name: string, what: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - {id: keep, files: {do: copy, from: {store: drop, files: 'gone/${name}/*'}, into: {store: drop, folder: 'kept/${name}'}}}
      - {id: clear, files: {${what}, from: {store: drop, files: 'gone/${name}/*'}, covered_by: [keep]}}
`
  const does: Record<string, (name: string) => string> = {
    delete: () => 'do: delete',
    move: (name) => `do: move, into: {store: drop, folder: 'moved/${name}'}`,
  }
  for (const [did, what] of Object.entries(does))
    for (const point of ['file-written', 'file-named', 'take-away', 'file-taken', 'step-recorded'] as const)
      it(`${did}, killed at ${point}: each is dealt with once, and told`, async () => {
        const name = `${did}-${point}`
        const files = Array.from({ length: 5 }, (_, i) => `${i}.csv`)
        for (const file of files) bench.writeFile(`gone/${name}/${file}`, file)
        bench.lay(point, 'kill')
        const run = await bench.start(cleared(name, what(name)))
        await until('the run ends', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state !== 'running') // prettier-ignore
        expect(bench.laid()).toEqual([])
        const steps = await bench.own(`select s.step, s.state, s.files from mattock.load l join mattock.load_step s on s.load_id = l.id where l.run_id = $1 order by s.position`, [run]) // prettier-ignore
        expect(steps.map(({ state }) => state)).toEqual(['done', 'done'])
        expect((steps[1]!.files as { path: string; did: string }[]).map(({ path, did }) => `${path} ${did}`)).toEqual(files.map((file) => `gone/${name}/${file} ${did}d`)) // prettier-ignore
        expect(readdirSync(join(bench.drop, 'gone', name))).toEqual([])
        for (const folder of ['kept', ...(did === 'move' ? ['moved'] : [])])
          expect(readdirSync(join(bench.drop, folder, name)).sort()).toEqual(files)
      })
})

describe('a store', () => {
  it('says that the disk of a store is full, and leaves no half file', async () => {
    // where the machine is slow, another would take the load over, and do it
    await bench.end()
    bench.begin(2, { MATTOCK_SILENCE_SECONDS: '15' })
    bench.lay('file-written', 'fill')
    const run = await bench.start(withTable('fill-store', 'fill_store'))
    await bench.ended(run)
    const [failed] = await bench.own(
      `select error from mattock.load where run_id = $1 and state = 'failed'`,
      [run],
    )
    expect(failed!.error).toMatchObject({ code: 'no-space', advice: 'make room on the disk, then rerun' })
    expect(readdirSync(join(bench.drop, 'out/fill_store')).filter((name) => name.startsWith('.'))).toEqual([])
  })
})

describe('a run that is being stopped', () => {
  it('ends, though the worker of its load dies meanwhile', async () => {
    await bench.end()
    const only = bench.begin(1)
    const run = await bench.start(`
mattock: job/1
name: stop-dies
title: Stop, and the worker dies
parts:
  - each: {roster: {range: {from: 1, to: 3}}, at_once: 1}
    do:
      - {id: wait, sql: {on: warehouse, text: 'select pg_sleep(600), {row.value}'}}
`)
    const state = async () => (await bench.own('select state from mattock.load where run_id = $1 order by number', [run])).map((row) => row.state) // prettier-ignore
    await until('it runs', async () => (await state())[0] === 'running')
    const [{ pid }] = (await bench.own('select pid from mattock.worker order by id desc limit 1')) as [
      { pid: number },
    ]
    process.kill(pid, 'SIGSTOP')
    await stopRun(bench.engine, run)
    process.kill(pid, 'SIGKILL')
    await until('it has ended', async () => (await bench.own('select state from mattock.run where id = $1', [run]))[0]!.state === 'stopped') // prettier-ignore
    expect(await state()).toEqual(['stopped', 'stopped', 'stopped'])
    expect(only.exitCode).toBe(null)
    bench.begin()
  })
})

describe('two starts of one plan', () => {
  it('are one run, unless the second is meant', async () => {
    const first = await bench.start(withTable('twice', 'twice'))
    await bench.ended(first)
    const [{ plan_id: plan }] = (await bench.own('select plan_id from mattock.run where id = $1', [first])) as [{ plan_id: number }] // prettier-ignore
    await expect(startRun(bench.engine, { plan, by: 'ben' })).rejects.toThrow(`plan ${plan} was started as run ${first} by test`) // prettier-ignore
    const press = 'one press only'
    const both = await Promise.all(
      Array.from({ length: 8 }, () => startRun(bench.engine, { plan, by: 'ben', again: true, press })),
    )
    expect(new Set(both).size).toBe(1)
    expect(both[0]).not.toBe(first)
    await bench.ended(both[0]!)
    // its table is there already, so that the run again fails at its first step, and nothing was doubled
    expect(await bench.rows('select count(*)::int as rows from public.twice')).toEqual([
      { rows: loads * 200 },
    ])
  })
})
