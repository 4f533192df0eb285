import { noRows } from '../../core/balance/balance'
import type { Engine } from '../context/engine'
import { recentConnection } from '../connectors/connections'
import type { LoadEnd } from './runLoad'
import type { Started } from './started'

/**
 * What a load that ended without a word did, in words: the steps whose markers lie in the databases it uses. "nothing
 * was written" is said only where all of them could be asked and none has one, and no files were its target.
 */
export async function effectSeen(
  engine: Engine,
  started: Pick<Started, 'load_id' | 'run_id'>,
): Promise<string> {
  const { rows } = await engine.db.$client.query<{ connections: string[]; environment: string }>(
    `select n.connections, r.environment from mattock.load l join mattock.run r on r.id = l.run_id
       join mattock.run_lane n on n.run_id = l.run_id and n.part = l.part and n.lane = l.lane where l.id = $1`,
    [started.load_id],
  )
  const { connections = [], environment = '' } = rows[0] ?? {}
  const steps: string[] = []
  const unseen: string[] = []
  for (const name of connections) {
    try {
      const opened = await recentConnection(engine, name, environment)
      if (!('pool' in opened)) {
        unseen.push(name)
        continue
      }
      steps.push(...(await markedSteps(engine, opened.pool(), Number(started.load_id))))
    } catch {
      unseen.push(name)
    }
  }
  const done = steps.length > 0 ? `took effect: ${steps.join(', ')}` : ''
  if (unseen.length === 0) return done || 'nothing was written'
  const rest = `what was done on ${unseen.join(', ')} is not known`
  return done ? `${done}; ${rest}` : `no step has a marker; ${rest}`
}

/** A load that failed outside of its steps; what took effect is read from the targets. */
export async function failure(
  engine: Engine,
  started: Started,
  code: string,
  message: string,
  advice: string,
): Promise<LoadEnd> {
  const effect = await effectSeen(engine, started)
  return {
    state: 'failed',
    counts: noRows,
    bytes: 0,
    cause: message,
    error: { step: null, code, message, effect, advice },
  }
}

async function markedSteps(
  engine: Engine,
  pool: { query: (text: string, values?: unknown[]) => Promise<{ rows: unknown[] }> },
  load: number,
): Promise<string[]> {
  const { rows: there } = await pool.query(`select to_regclass('mattock.load_marker') is not null as there`)
  if (!(there[0] as { there: boolean }).there) return []
  const { rows } = await pool.query(
    'select step from mattock.load_marker where installation = $1 and load = $2 order by at',
    [engine.installation, load],
  )
  return (rows as { step: string }[]).map(({ step }) => step)
}
