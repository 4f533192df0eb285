import { spawn, type ChildProcess } from 'node:child_process'
import { chmodSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { ensureDatabase, startPostgres } from '../cli/postgres'
import { migrateDatabase } from '../database/open'
import { saveSettings } from '../engine/connectors/connections'
import { openEngine, type Engine } from '../engine/context/engine'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'

/** A Mattock with Postgres and worker processes of its own, in a folder that is thrown away. */
export interface BenchPlace {
  readonly engine: Engine
  readonly drop: string
  readonly warehouseUrl: string
  readonly warehouse: pg.Pool
  /** Saves, plans and runs a job; seconds from start to end of the run, planning not counted. */
  run(document: string): Promise<{ run: number; seconds: number; planSeconds: number }>
  /** Largest resident memory of any worker so far, in MB. */
  workerMemory(): Promise<number>
  close(): Promise<void>
}

export async function benchPlace(workers: number, capacity: number): Promise<BenchPlace> {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-bench-'))
  chmodSync(folder, 0o755)
  const drop = join(folder, 'stores', 'drop')
  mkdirSync(drop, { recursive: true })
  const server = await startPostgres(join(folder, 'postgres'))
  for (const name of ['mattock', 'warehouse']) await ensureDatabase(server, name)
  const root = join(import.meta.dirname, '..')
  await migrateDatabase(server.near('mattock'), join(root, 'database', 'migrations'))
  const engine = await openEngine(server.near('mattock'), folder)
  const at = new URL(server.url('warehouse'))
  await engine.db.$client.query(`insert into mattock.environment (name, position) values ('dev', 1)`)
  await engine.db.$client.query(
    `insert into mattock.connection (name, kind, title) values ('drop', 'files', 'Drop'), ('warehouse', 'postgres', 'Warehouse')`,
  )
  await saveSettings(engine, 'drop', 'dev', { settings: { folder: drop } }, 'bench')
  await saveSettings(
    engine,
    'warehouse',
    'dev',
    {
      settings: { host: at.hostname, port: Number(at.port), database: 'warehouse', user: at.username },
      secret: at.password,
    },
    'bench',
  )
  const warehouse = new pg.Pool({ connectionString: server.url('warehouse'), max: 2 })
  const children: ChildProcess[] = []
  for (let i = 0; i < workers; i++) {
    children.push(
      spawn(
        process.execPath,
        [join(root, 'dist', 'main.js'), 'worker', '--data', folder, '--capacity', String(capacity)],
        {
          env: { ...process.env, DATABASE_URL: server.near('mattock'), UV_THREADPOOL_SIZE: '64' },
          stdio: 'inherit',
        },
      ),
    )
  }
  const one = async <T>(sql: string, values: unknown[] = []) =>
    (await engine.db.$client.query(sql, values)).rows[0] as T
  while ((await one<{ n: number }>('select count(*) as n from mattock.worker')).n < workers)
    await new Promise((resolve) => setTimeout(resolve, 50))
  return {
    engine,
    drop,
    warehouseUrl: server.url('warehouse'),
    warehouse,
    run: async (document) => {
      const { job } = await saveJob(engine, document, { by: 'bench' })
      const begun = performance.now()
      const { id } = await makePlan(engine, { job, environment: 'dev', parameters: {}, by: 'bench' })
      const planSeconds = (performance.now() - begun) / 1000
      const run = await startRun(engine, { plan: id, by: 'bench' })
      for (;;) {
        const row = await one<{ state: string; seconds: number }>(
          'select state, extract(epoch from ended_at - started_at)::float8 as seconds from mattock.run where id = $1',
          [run],
        )
        if (row.state === 'done') return { run, seconds: row.seconds, planSeconds }
        if (row.state !== 'running')
          throw new Error(
            JSON.stringify(
              await one('select error from mattock.load where run_id = $1 and error is not null', [run]),
            ),
          )
        await new Promise((resolve) => setTimeout(resolve, 10))
      }
    },
    workerMemory: async () => {
      await new Promise((resolve) => setTimeout(resolve, 3500))
      return Math.round(
        (await one<{ memory: number }>('select max(memory) as memory from mattock.worker')).memory / 1e6,
      )
    },
    close: async () => {
      for (const child of children) child.kill('SIGTERM')
      await Promise.all(
        children.map(
          (child) =>
            new Promise((resolve) =>
              child.exitCode === null ? child.once('exit', resolve) : resolve(undefined),
            ),
        ),
      )
      await warehouse.end()
      await engine.close()
      await server.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

export const round = (value: number): number => Math.round(value * 1000) / 1000

/** Seconds a piece of work takes. */
export async function timed(work: () => unknown): Promise<number> {
  const start = performance.now()
  await work()
  return (performance.now() - start) / 1000
}
