import type { Step } from '../../core/job/steps'
import type { Engine } from '../context/engine'
import type { Started } from './started'
import type { Outcome, TextOf } from '../context/step'
import { runnerOf } from '../steps'

interface Where {
  readonly environment: string
  readonly job: string
  /** Milliseconds that the run's clock stands apart from the real one. */
  readonly clockOffset: number
  /** The roster row's key; the part's for one that runs once. */
  readonly rowKey: string
}

/**
 * Remembers what a step that took effect read and wrote: its files, for the finding `already-loaded`; the places it
 * touched, for the catalog; the source's columns, for `schema-changed`. Steps that touch nothing are passed over.
 */
export async function rememberStep(
  engine: Engine,
  where: Where,
  started: Started,
  step: Step,
  text: TextOf,
  outcome: Outcome,
): Promise<void> {
  const { runner, spec } = runnerOf(step)
  const touches = runner.touches?.(spec, text, outcome) ?? []
  const target = touches.find(({ direction }) => direction === 'write')
  if (!target) return
  if (outcome.mark)
    await engine.db.$client.query(
      `insert into mattock.mark_move (environment, connection, name, "from", "to", job, run_id, load_id, step, at)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, clock_timestamp() + make_interval(secs => $10 / 1000.0)) on conflict do nothing`,
      [
        where.environment, target.connection, outcome.mark.name, outcome.mark.from, outcome.mark.to, where.job,
        started.run_id, started.load_id, step.id, where.clockOffset,
      ],
    ) // prettier-ignore
  await engine.db.$client.query({
    name: 'mattock-remember',
    text: `with at as (select clock_timestamp() + make_interval(secs => $4 / 1000.0) as at),
           files as (
             insert into mattock.loaded_file (environment, store, path, target, size, modified, sha256, run_id, at)
             select $1, f ->> 'store', f ->> 'path', $2, (f ->> 'size')::bigint, f ->> 'modified', f ->> 'sha256', $3, at.at
             from jsonb_array_elements($5::jsonb) f, at
             on conflict (environment, store, path, target) do update set size = excluded.size, modified = excluded.modified,
               sha256 = excluded.sha256, run_id = excluded.run_id, at = excluded.at),
           shape as (
             insert into mattock.read_shape (environment, job, step, row_key, columns, run_id, at)
             select $1, $6, $7, $8, $9::jsonb, $3, at.at from at where $9::jsonb is not null
             on conflict (environment, job, step, row_key) do update set columns = excluded.columns, run_id = excluded.run_id, at = excluded.at)
         insert into mattock.touch (environment, connection, locator, direction, job, run_id, load_id, step, rows, at)
         select $1, t ->> 'connection', t ->> 'locator', t ->> 'direction', $6, $3, $10, $7, (t ->> 'rows')::bigint, at.at
         from jsonb_array_elements($11::jsonb) t, at
         on conflict (load_id, step, direction, locator) do update set rows = excluded.rows, at = excluded.at`,
    values: [
      where.environment, `${target.connection}/${target.locator}`, started.run_id, where.clockOffset, JSON.stringify(outcome.files.filter(({ did }) => did === undefined)), where.job, step.id,
      where.rowKey, outcome.sourceColumns ? JSON.stringify(outcome.sourceColumns) : null, started.load_id, JSON.stringify(touches),
    ], // prettier-ignore
  })
}
