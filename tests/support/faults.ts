import { spawn, type ChildProcess } from 'node:child_process'
import { mkdirSync, readdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { endChild } from '../../cli/keep'
import type { FaultKind } from '../../engine/context/faults'
import type { FaultPoint } from '../../engine/context/faultPoints'
import { saveJob } from '../../engine/jobs/versions'
import { makePlan } from '../../engine/planning/plan'
import { startRun } from '../../engine/running/runs'
import { testBench, type TestBench } from './bench'
import { silence } from './pace'

const project = join(import.meta.dirname, '../..')

/** A bench whose workers are processes of their own, built so that faults can be laid at the points of the protocol. */
export interface FaultBench extends TestBench {
  /** Begins a worker, kept going as `./mattock worker` keeps it. Returns the process that keeps it. */
  begin(capacity?: number, settings?: Record<string, string>): ChildProcess
  /** Lays a fault: the first process that comes to the point meets it. `number` makes several at one point. */
  lay(point: FaultPoint, kind: FaultKind, more?: { number?: number; text?: string }): void
  /** Faults that nobody met yet. */
  laid(): string[]
  /** Saves, plans and starts a job. Returns the run. */
  start(document: string): Promise<number>
  /** What the workers said. */
  said(): string
  /** Ends what was begun. */
  end(): Promise<void>
}

/** Waits until something holds. @throws after so many seconds; what hangs never comes, however slow the machine */
export async function until(
  what: string,
  test: () => boolean | Promise<boolean>,
  seconds = 300,
): Promise<void> {
  const end = Date.now() + seconds * 1000
  while (!(await test())) {
    if (Date.now() > end) throw new Error(`not within ${seconds} s: ${what}`)
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

export async function faultBench(settings: Record<string, string> = {}): Promise<FaultBench> {
  const bench = await testBench()
  const folder = join(bench.folder, 'faults')
  const quiet = silence(3)
  mkdirSync(folder)
  const begun: ChildProcess[] = []
  let said = ''
  return {
    ...bench,
    begin: (capacity = 2, own = {}) => {
      const child = spawn(
        process.execPath,
        [
          join(project, 'dist-faults/main.js'),
          'worker',
          '--data',
          bench.folder,
          '--capacity',
          String(capacity),
        ],
        {
          env: {
            ...process.env,
            DATABASE_URL: bench.url,
            MATTOCK_FAULTS_IN: folder,
            // a worker is held dead sooner than it is in use, so that the tests need not wait
            ...quiet,
            ...settings,
            ...own,
          },
          stdio: ['ignore', 'ignore', 'pipe'],
        },
      )
      child.stderr.on('data', (chunk: Buffer) => (said += chunk.toString()))
      begun.push(child)
      return child
    },
    lay: (point, kind, { number = 1, text = '' } = {}) =>
      writeFileSync(join(folder, `${point}.${kind}${number === 1 ? '' : `.${number}`}`), text),
    laid: () => readdirSync(folder),
    start: async (document) => {
      const { job } = await saveJob(bench.engine, document, { by: 'test' })
      const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
      return await startRun(bench.engine, { plan: id, by: 'test' })
    },
    said: () => said,
    end: async () => {
      await Promise.all(begun.splice(0).map((child) => endChild(child, 20_000)))
    },
    close: async () => {
      await Promise.all(begun.splice(0).map((child) => endChild(child, 20_000)))
      await bench.close()
    },
  }
}
