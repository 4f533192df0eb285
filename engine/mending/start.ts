import type pg from 'pg'
import { fail } from '../../core/fault'
import type { MendedRow } from '../../database/schema'
import type { Engine } from '../context/engine'
import { rerun, type StartAsk } from '../running/runs'
import { rejectPlace, rejectsAt, rowsToMend, type RowToMend } from './rows'

/** Rows that are mended in one go. */
export const mendedAtOnce = 1_000

/** A run that brings mended rows in. */
export interface MendingRun {
  readonly run: number
  readonly state: string
  readonly by: string
  readonly rows: number
  readonly at: string
}

/** A run that brings rows in, with their places, and whether it is not known if it did. */
type Bringing = MendingRun & { readonly places: number[]; readonly unsure: boolean }

/** What there is to mend of a step's rejects. */
export interface ToMend {
  readonly columns: readonly string[]
  /** Rejects there are. */
  readonly total: number
  /** Those that no run has brought in, nor is bringing in. */
  readonly left: number
  /** The first of those. */
  readonly rows: readonly RowToMend[]
  readonly runs: readonly MendingRun[]
  /** Why none can be mended; null where they can. */
  readonly cannot: string | null
}

/** Runs that brought rejects of a step in, oldest first. */
async function mendingRuns(
  client: Pick<pg.ClientBase, 'query'>,
  load: number,
  step: string,
): Promise<Bringing[]> {
  const { rows } = await client.query<Bringing>(
    `select r.id as run, r.state, r.by, jsonb_array_length(m.rows) as rows, r.created_at as at,
       (select array_agg((e ->> 'at')::int) from jsonb_array_elements(m.rows) e) as places,
       exists (select from mattock.load l where l.run_id = r.id and l.error ->> 'code' in ('commit-unknown', 'worker-ended', 'internal')) as unsure
     from mattock.mended m join mattock.run r on r.id = m.run_id where m.load_id = $1 and m.step = $2 order by r.id`,
    [load, step],
  )
  return rows
}

/**
 * Of runs that failed or were stopped nothing is brought in: their rows are to be mended still. Where nobody knows, a rerun of that
 * run asks its marker.
 */
const bringsIn = ({ state, unsure }: Bringing): boolean =>
  unsure || (state !== 'failed' && state !== 'stopped')

/** What there is to mend of a step's rejects, and by which runs others were. @throws FaultError where there are none */
export async function toMend(engine: Engine, run: number, load: number, step: string): Promise<ToMend> {
  const place = await rejectPlace(engine, run, load, step)
  const all = await mendingRuns(engine.db.$client, load, step)
  const runs = all.map(({ places: _, unsure: _unsure, ...rest }) => rest)
  const done = all.filter(bringsIn).flatMap(({ places }) => places)
  const { rows, ...counts } = await rowsToMend(place, done, mendedAtOnce)
  return {
    columns: place.readAs?.columns ?? [],
    ...counts,
    rows,
    runs,
    cannot: await whyNot(engine, load, step, place),
  }
}

/** Why the rejects of a step cannot be mended and loaded again, in words; null where they can. */
async function whyNot(
  engine: Engine,
  load: number,
  step: string,
  { state, readAs }: Awaited<ReturnType<typeof rejectPlace>>,
): Promise<string | null> {
  if (state !== 'done' && state !== 'held')
    return 'the step did not take effect, so none of its rows are there: mend the source, then rerun it'
  if (!readAs) return 'how these rows were read is not kept, or a record of the source gives several of them'
  // rows of a table bear the transaction that wrote them; what a step wrote without one are files
  const { rowCount } = await engine.db.$client.query(
    `select from mattock.load_step s join mattock.touch t on t.load_id = s.load_id and t.step = s.step and t.direction = 'write'
     where s.load_id = $1 and s.step = $2 and s.written_in is null`,
    [load, step],
  )
  if (rowCount) return 'it writes a file, which is there whole or not at all: mend the source, then rerun it'
  return null
}

/**
 * Brings rows in that a person mended: in a run of its own with one load, which is tied to the one that rejected them, and does
 * that step only. What is still wrong is a reject of that load.
 * @throws FaultError `mend` for rows that are no rejects of the step, or that were brought in already
 */
export async function startMending(
  engine: Engine,
  run: number,
  load: number,
  step: string,
  given: readonly { readonly at: number; readonly values: readonly (string | null)[] }[],
  ask: Pick<StartAsk, 'by' | 'press'>,
): Promise<number> {
  const place = await rejectPlace(engine, run, load, step)
  const cannot = await whyNot(engine, load, step, place)
  if (cannot !== null) fail('mend', cannot)
  const columns = place.readAs!.columns.length
  const places = new Set(given.map(({ at }) => at))
  if (places.size < given.length) fail('mend', 'a row comes twice')
  const all = new Map((await rejectsAt(place, [...places])).map((row) => [row.at, row]))
  const rows = given.map(({ at, values }): MendedRow => {
    const row = all.get(at) ?? fail('mend', `there is no reject at place ${at + 1}`)
    if (values.length !== columns) fail('mend', `line ${row.line} has ${values.length} values, and there are ${columns} columns`) // prettier-ignore
    return { at, file: row.file, line: row.line, values }
  })
  return await rerun(engine, run, {
    ...ask,
    loads: [load],
    from: { only: step },
    again: true,
    cause: `${rows.length.toLocaleString('en')} mended ${rows.length === 1 ? 'row' : 'rows'} of ${run}`,
    // in the transaction that begins the run: of two who bring the same row in at once, the second is told
    alongside: async (client, id) => {
      const before = (await mendingRuns(client, load, step)).filter(bringsIn)
      const has = ({ places: its }: { places: number[] }) => its.some((at) => places.has(at))
      const other = before.find(has)
      if (other)
        fail('mend', `some of these rows are brought in by run ${other.run} of ${other.by}`, {
          run: other.run,
        })
      await client.query('insert into mattock.mended (run_id, load_id, step, rows) values ($1, $2, $3, $4)', [
        id,
        load,
        step,
        JSON.stringify(rows),
      ])
    },
  })
}
