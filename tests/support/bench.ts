import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import pg from 'pg'
import { inject } from 'vitest'
import { migrateDatabase } from '../../database/open'
import { openEngine, type Engine } from '../../engine/context/engine'
import { saveSettings } from '../../engine/connectors/connections'
import { saveJob } from '../../engine/jobs/versions'
import { makePlan } from '../../engine/planning/plan'
import { startRun } from '../../engine/running/runs'
import { startWorker, type Worker } from '../../engine/queue/worker'
import type { Row } from '../../core/value'
import { removeFolder } from './folder'

let made = 0

/** A Mattock of its own for one test file: its store, a warehouse, a file store `drop`, and on demand a worker. */
export interface TestBench {
  readonly engine: Engine
  readonly url: string
  readonly warehouseUrl: string
  readonly warehouse: pg.Pool
  readonly folder: string
  readonly drop: string
  writeFile(path: string, text: string | Buffer): void
  worker(capacity?: number): Promise<Worker>
  /** Saves a job, plans it, runs it and waits for its end; returns the run's id. */
  load(document: string, ask?: { span?: string; only?: string; parameters?: Row }): Promise<number>
  ended(run: number): Promise<string>
  rows(sql: string, values?: unknown[]): Promise<Record<string, unknown>[]>
  own(sql: string, values?: unknown[]): Promise<Record<string, unknown>[]>
  close(): Promise<void>
}

export async function testBench(): Promise<TestBench> {
  const cluster = inject('cluster')
  const name = `t${process.pid}_${++made}`
  const admin = new pg.Client({ connectionString: cluster })
  await admin.connect()
  for (const database of [name, `${name}_wh`]) await admin.query(`create database ${database}`)
  await admin.end()
  const at = new URL(cluster)
  const urlOf = (database: string) => Object.assign(new URL(cluster), { pathname: `/${database}` }).toString()
  const folder = mkdtempSync(join(tmpdir(), 'mattock-bench-'))
  const drop = join(folder, 'stores', 'drop')
  mkdirSync(drop, { recursive: true })
  await migrateDatabase(urlOf(name), join(import.meta.dirname, '../../database/migrations'))
  const engine = await openEngine(urlOf(name), folder)
  const { $client } = engine.db
  await $client.query(`insert into mattock.environment (name, position) values ('dev', 1), ('live', 2)`)
  await $client.query(
    `insert into mattock.connection (name, kind, title, cap) values ('drop', 'files', 'Drop', null), ('warehouse', 'postgres', 'Warehouse', 8)`,
  )
  await saveSettings(engine, 'drop', 'dev', { settings: { folder: drop } }, 'test')
  await saveSettings(
    engine,
    'warehouse',
    'dev',
    {
      settings: { host: at.hostname, port: Number(at.port), database: `${name}_wh`, user: at.username },
      secret: at.password,
    },
    'test',
  )
  const warehouse = new pg.Pool({ connectionString: urlOf(`${name}_wh`), max: 4 })
  warehouse.on('error', () => {})
  const workers: Worker[] = []
  const bench: TestBench = {
    engine,
    url: urlOf(name),
    warehouseUrl: urlOf(`${name}_wh`),
    warehouse,
    folder,
    drop,
    writeFile: (path, text) => {
      mkdirSync(dirname(join(drop, path)), { recursive: true })
      writeFileSync(join(drop, path), text)
    },
    worker: async (capacity = 4) => {
      const worker = await startWorker(engine, capacity)
      workers.push(worker)
      return worker
    },
    load: async (document, ask = {}) => {
      const { job } = await saveJob(engine, document, { by: 'test' })
      const { id } = await makePlan(engine, { job, environment: 'dev', parameters: {}, by: 'test', ...ask })
      const run = await startRun(engine, { plan: id, by: 'test' })
      await bench.ended(run)
      return run
    },
    ended: async (run) => {
      for (;;) {
        const [row] = await bench.own('select state from mattock.run where id = $1', [run])
        if (!['running', 'held', 'waiting'].includes(row!.state as string)) return row!.state as string
        await new Promise((resolve) => setTimeout(resolve, 20))
      }
    },
    rows: async (sql, values) => (await warehouse.query<Record<string, unknown>>(sql, values)).rows,
    own: async (sql, values) => (await $client.query<Record<string, unknown>>(sql, values)).rows,
    close: async () => {
      await Promise.all(workers.map((worker) => worker.stop()))
      await warehouse.end()
      await engine.close()
      await removeFolder(folder)
    },
  }
  return bench
}

/** A job that loads one CSV file into a table. */
export const fileJob = (name: string, file: string, into: string, more = ''): string => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {rows: [{file: ${JSON.stringify(file)}}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}"}
          into: ${into}
${more.replace(/^/gm, '          ')}
`
