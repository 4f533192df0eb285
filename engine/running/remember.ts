import type { Resolved } from '../../core/text/slot'
import type { Step } from '../../core/job/document'
import type { Engine } from '../context/engine'
import type { Started } from './runLoad'
import type { Outcome } from '../context/work'

interface Where {
  readonly environment: string
  readonly job: string
  /** Milliseconds that the run's clock stands apart from the real one. */
  readonly clockOffset: number
  /** The roster row's key; the part's for one that runs once. */
  readonly rowKey: string
}

/**
 * Remembers what a transfer that took effect read and wrote: its files, for the finding `already-loaded`; the places it
 * touched, for the catalog; the source's columns, for `schema-changed`.
 */
export async function rememberTransfer(
  engine: Engine,
  where: Where,
  started: Started,
  step: Step,
  text: (path: string) => Resolved,
  outcome: Outcome,
): Promise<void> {
  const { from, into } = step.transfer!
  const table = (path: string): string => {
    const resolved = text(path)
    return resolved.kind === 'table' ? `${resolved.schema ?? 'public'}.${resolved.table}` : resolved.text
  }
  const connection = text(into.store === undefined ? 'transfer.into.connection' : 'transfer.into.store').text
  const target = into.store === undefined ? table('transfer.into.table') : text('transfer.into.file').text
  const touches = [
    ...reads(from, text, table, outcome).map((read) => ({ ...read, direction: 'read' })),
    { connection, locator: target, rows: outcome.counts.written, direction: 'write' },
  ]
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
      where.environment, `${connection}/${target}`, started.run_id, where.clockOffset, JSON.stringify(outcome.files), where.job, step.id,
      where.rowKey, outcome.sourceColumns ? JSON.stringify(outcome.sourceColumns) : null, started.load_id, JSON.stringify(touches),
    ], // prettier-ignore
  })
}

/** The places a transfer read, with the rows of each. A query names its tables in its text, so it tells none here. */
function reads(
  from: NonNullable<Step['transfer']>['from'],
  text: (path: string) => Resolved,
  table: (path: string) => string,
  outcome: Outcome,
): { connection: string; locator: string; rows: number }[] {
  if (from.store !== undefined)
    return outcome.files.map(({ store, path, records }) => ({
      connection: store,
      locator: path,
      rows: records,
    }))
  const rows = outcome.counts.read
  if (from.service !== undefined)
    return [
      { connection: text('transfer.from.service').text, locator: text('transfer.from.path').text, rows },
    ]
  if (from.table !== undefined)
    return [
      { connection: text('transfer.from.connection').text, locator: table('transfer.from.table'), rows },
    ]
  return []
}
