import { cpSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { sql } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { migrateDatabase } from '../database/open'
import { openEngine, type Engine } from '../engine/context/engine'
import { readLoads, readPlan } from '../engine/planning/stored'
import { startRun } from '../engine/running/runs'
import { removeFolder } from './support/folder'

const all = join(import.meta.dirname, '../database/migrations')
const folder = mkdtempSync(join(tmpdir(), 'mattock-migrations-'))
const database = `migrated_${process.pid}`
const url = Object.assign(new URL(inject('cluster')), { pathname: `/${database}` }).toString()
let engine: Engine

/** The migrations up to one, as an installation of that day had them. */
function upTo(tag: string): string {
  const own = join(folder, tag)
  cpSync(all, own, { recursive: true })
  const journal = join(own, 'meta/_journal.json')
  const whole = JSON.parse(readFileSync(journal, 'utf8')) as { entries: { tag: string }[] }
  const last = whole.entries.findIndex((entry) => entry.tag === tag)
  writeFileSync(journal, JSON.stringify({ ...whole, entries: whole.entries.slice(0, last + 1) }))
  return own
}

const text = `mattock: job/1
name: old
title: Old
parts:
  - each: {roster: {rows: [{file: a.csv}, {file: b.csv}]}}
    do:
      - {id: load, transfer: {from: {store: drop, files: "{row.file}"}, into: {connection: wh, table: t, write: append}}}`

beforeAll(async () => {
  const admin = new pg.Client({ connectionString: inject('cluster') })
  await admin.connect()
  await admin.query(`create database ${database}`)
  await admin.end()
  await migrateDatabase(url, upTo('0006_tries'))
  const old = new pg.Client({ connectionString: url })
  await old.connect()
  await old.query(`insert into mattock.environment (name, position) values ('dev', 1)`)
  await old.query(`insert into mattock.job (name, title) values ('old', 'Old')`)
  const { rows } = await old.query<{ id: number }>(`insert into mattock.job_version (job, version, text, by, message) values ('old', 1, $1, 'Ada', '') returning id`, [text]) // prettier-ignore
  const slots = ['transfer.from.store text drop', 'transfer.from.files path {row.file}', 'transfer.into.connection text wh', 'transfer.into.table table t'].map((line) => { const [path, kind, own] = line.split(' '); return { step: 'load', path, kind, text: own } }) // prettier-ignore
  const parts = [{ index: 0, atOnce: 4, each: true, rows: 2, slices: 0, columns: [{ name: 'file', type: 'text' }], steps: [{ id: 'load', title: 'load', kind: 'transfer', slots }], varies: ['same', 'row', 'same', 'same'], same: [{ kind: 'text', text: 'drop' }, { kind: 'text', text: 'wh' }, { kind: 'table', text: 't', schema: null, table: 't' }], differing: { columns: [], same: [] } }] // prettier-ignore
  await old.query(`insert into mattock.plan (id, job, version_id, environment, by, parameters, parts, findings, loads) values (1, 'old', $1, 'dev', 'Ada', '{}', $2, '[]', 3)`, [rows[0]!.id, JSON.stringify(parts)]) // prettier-ignore
  for (const [row, file] of ['a.csv', 'b.csv'].entries())
    await old.query(`insert into mattock.plan_row (plan_id, part, "row", key, cells, resolved) values (1, 0, $1, $2, $3, $4)`, [row, file, JSON.stringify({ file }), JSON.stringify([{ kind: 'path', text: file, pattern: file }])]) // prettier-ignore
  await old.query(`insert into mattock.planned_load (plan_id, number, part, "row", connections, files, codes) values
    (1, 0, 0, 0, '{drop,wh}', '{"names": ["a.csv", "a2.csv"], "bytes": 70}', '{}'),
    (1, 1, 0, 1, '{drop,wh}', '{"names": [], "bytes": 0}', '{no-file,append-repeats}'),
    (1, 2, 0, 1, '{wh}', null, '{no-file}')`)
  await old.query(`insert into mattock.run (job, title, version_id, plan_id, environment, state, part, by, cause, created_at, started_at) values
    ('old', 'Old', $1, 1, 'dev', 'done', 1, 'Ada', 'by hand', now(), now()), ('old', 'Old', $1, 1, 'dev', 'running', 1, 'Ada', 'by hand', now(), now())`, [rows[0]!.id]) // prettier-ignore
  const loads = [
    [1, 0, 'done', '{wh}'], [1, 1, 'done', '{drop,wh}'], [1, 1, 'skipped', '{drop,wh}'],
    [2, 0, 'done', '{wh}'], [2, 1, 'done', '{drop,wh}'], [2, 1, 'ready', '{wh}'], [2, 1, 'waiting', '{drop,wh}'], [2, 1, 'waiting', '{drop,wh}'], [2, 2, 'waiting', '{}'],
  ] as const // prettier-ignore
  for (const [number, [run, part, state, connections]] of loads.entries())
    await old.query(`insert into mattock.load (run_id, number, part, each, key, connections, state, read, written) values ($1, $2, $3, true, $4, $5, $6, 10, $7)`, [run, number, part, String(number), connections, state, state === 'done' ? 10 : 9]) // prettier-ignore
  await old.end()
  await migrateDatabase(url, all)
  engine = await openEngine(url, folder)
})
afterAll(async () => {
  await engine?.close()
  await removeFolder(folder)
})

describe('a store of an earlier day', () => {
  it('keeps its plans: connections and codes become marks, files a list', async () => {
    const plan = await readPlan(engine, 1)
    expect(plan.marks).toEqual([
      { connections: ['drop', 'wh'], codes: [] },
      { connections: ['drop', 'wh'], codes: ['no-file', 'append-repeats'] },
      { connections: ['wh'], codes: ['no-file'] },
    ])
    const loads = await readLoads(engine, plan)
    expect(loads.map(({ codes, files }) => [codes, files])).toEqual([
      [[], { names: ['a.csv', 'a2.csv'], bytes: 70 }],
      [['no-file', 'append-repeats'], { names: [], bytes: 0 }],
      [['no-file'], null],
    ])
    expect(loads[1]!.resolved.map((resolved) => resolved?.text)).toEqual(['drop', 'b.csv', 'wh', 't'])
    expect(loads[1]!.resolved[1]).toEqual({ kind: 'path', text: 'b.csv', pattern: 'b.csv' })
  })
  it('can still run them: each load has its connections, for the caps', async () => {
    const run = await startRun(engine, { plan: 1, by: 'test', again: true })
    const { rows } = await engine.db.execute(sql`select number, n.connections, key from mattock.load l join mattock.run_lane n using (run_id, part, lane) where run_id = ${run} order by number`) // prettier-ignore
    expect(rows).toEqual([
      { number: 0, connections: ['drop', 'wh'], key: 'a.csv' },
      { number: 1, connections: ['drop', 'wh'], key: 'b.csv' },
      { number: 2, connections: ['wh'], key: 'b.csv' },
    ])
  })
  it('counts the loads of its runs by part, and what was ready waits to be taken', async () => {
    const { rows } = await engine.db.execute(sql`select run_id as run, part, waits, state, waiting, done, skipped, read, unbalanced, at_once from mattock.run_part where run_id <= 2 order by 1, 2`) // prettier-ignore
    const part = (more: object) => ({ waits: [], state: 'done', waiting: 0, done: 0, skipped: 0, unbalanced: 0, at_once: 1, ...more }) // prettier-ignore
    expect(rows).toEqual([
      part({ run: 1, part: 0, done: 1, read: 10, at_once: 4 }),
      part({ run: 1, part: 1, waits: [0], done: 1, skipped: 1, read: 20, unbalanced: 1 }),
      part({ run: 2, part: 0, done: 1, read: 10, at_once: 4 }),
      part({ run: 2, part: 1, waits: [0], state: 'running', done: 1, waiting: 3, read: 40, unbalanced: 3 }),
      part({ run: 2, part: 2, waits: [0, 1], state: 'waiting', waiting: 1, read: 10, unbalanced: 1 }),
    ])
    const { rows: lanes } = await engine.db.execute(sql`select connections, waiting from mattock.run_lane where run_id = 2 and part = 1 order by lane`) // prettier-ignore
    expect(lanes).toEqual([
      { connections: ['drop', 'wh'], waiting: 2 },
      { connections: ['wh'], waiting: 1 },
    ])
    await engine.db.execute(
      sql`insert into mattock.worker (id, host, pid, capacity) values (1, 'test', 1, 9)`,
    )
    const { rows: taken } = await engine.db.execute(sql`select l.number, l.part from mattock.take_loads(1, 9) t join mattock.load l on l.id = t.load_id where t.run_id = 2`) // prettier-ignore
    // at_once of a part that the plan does not know is one
    expect(taken).toHaveLength(1)
    expect(taken[0]).toMatchObject({ part: 1 })
    await engine.db.execute(sql`select mattock.stop_run(2)`)
  })
  it('may be migrated again, by several at once, and nothing changes', async () => {
    const before = await readPlan(engine, 1)
    await Promise.all([migrateDatabase(url, all), migrateDatabase(url, all)])
    expect(await readPlan(engine, 1)).toEqual(before)
  })
})
