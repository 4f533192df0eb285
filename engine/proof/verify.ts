import type { StepKind } from '../../core/job/steps'
import { stepDefinition } from '../../core/job/steps'
import { fail } from '../../core/fault'
import { verdictOfLoad, verdictOfStep, type FoundMarker, type Recorded } from '../../core/proof/verdict'
import type { RunState } from '../../core/runState'
import type { FileRecord } from '../../database/schema'
import type { Engine } from '../context/engine'
import { wrongFiles } from './files'
import { countWriters, readMarkers, type Counted, type WrittenTable } from './targets'

/** What became of what a load left. */
export type LoadProof = ReturnType<typeof verdictOfLoad>

/** Loads that are looked at together. */
const stretch = 1_000

interface StepRow {
  readonly load: number
  readonly step: string
  readonly kind: StepKind
  readonly state: RunState
  readonly written: number
  readonly writtenIn: string | null
  /** Of what it wrote to; where nothing is known of that, of its last statement. */
  readonly connection: string | null
  readonly locator: string | null
  readonly files: FileRecord[]
}

/** `kind`s whose rows are counted in the table that they wrote to. */
const countsRows = (kind: StepKind): boolean => stepDefinition(kind).tells === 'rows'

/**
 * Looks again at what a run left: every marker, every row by the transaction that wrote it, every file by its checksum. Each table
 * is looked at once, however many loads wrote into it. Gives the loads in their order; those that have not ended are left out.
 * @throws FaultError `unknown-name`; the reason of `signal`
 */
export async function* verifyRun(
  engine: Engine,
  run: number,
  signal: AbortSignal,
): AsyncGenerator<LoadProof> {
  const { rows: found } = await engine.db.$client.query<{ environment: string }>(
    'select environment from mattock.run where id = $1',
    [run],
  )
  const environment = found[0]?.environment ?? fail('unknown-name', `there is no run ${run}`)
  const tables = await tablesOf(engine, run)
  const counted = new Map<string, Counted>()
  for (const table of tables)
    counted.set(placeOf(table), await countWriters(engine, environment, table, signal))
  const writers = new Map<string, LastWriter>()
  for (const table of tables) {
    const last = await lastWriter(engine, environment, table)
    if (last) writers.set(placeOf(table), last)
  }
  for (let after = -1; ;) {
    const { rows: loads } = await engine.db.$client.query<{ id: number; number: number; key: string }>(
      `select id, number, key from mattock.load where run_id = $1 and number > $2
         and state in ('done', 'failed', 'skipped', 'stopped', 'held') order by number limit $3`,
      [run, after, stretch],
    )
    if (loads.length === 0) return
    after = loads.at(-1)!.number
    const steps = await stepsOf(engine, loads.map(({ id }) => id)) // prettier-ignore
    const markers = await markersOf(engine, environment, steps, signal)
    for (const { id, key } of loads) {
      const verdicts = []
      for (const step of steps.get(id) ?? []) {
        const place = step.connection && step.locator ? placeOf(step as Placed) : undefined
        const rows = place !== undefined && countsRows(step.kind) ? counted.get(place) : undefined
        const last = place === undefined ? undefined : writers.get(place)
        verdicts.push(
          verdictOfStep(recordOf(step), {
            marker: markerOf(markers, step),
            rows: rowsBy(rows, step),
            since: last && last.load !== id ? last.words : null,
            files: step.state === 'done' ? await wrongFiles(engine, environment, step.files, signal) : [],
          }),
        )
      }
      yield verdictOfLoad(key, verdicts)
    }
  }
}

type Placed = Pick<WrittenTable, 'connection' | 'locator'>
const placeOf = ({ connection, locator }: Placed): string => `${connection}\n${locator}`

const recordOf = ({ step, kind, state, written, writtenIn, connection }: StepRow): Recorded => ({
  step,
  state,
  written: writtenIn !== null && countsRows(kind) ? written : null,
  writtenIn,
  connection,
})

function rowsBy(counted: Counted | undefined, { writtenIn }: StepRow): number | string | null {
  if (counted === undefined || writtenIn === null) return null
  return typeof counted === 'string' ? counted : (counted.get(writtenIn) ?? 0)
}

type Markers = ReadonlyMap<string, ReadonlyMap<string, FoundMarker> | string>

function markerOf(markers: Markers, { load, step, connection }: StepRow): FoundMarker | null | string {
  const found = connection === null ? undefined : markers.get(connection)
  return typeof found === 'string' ? found : (found?.get(`${load} ${step}`) ?? null)
}

/** The tables that the run's steps wrote into, with the transactions that they did it in. */
async function tablesOf(engine: Engine, run: number): Promise<WrittenTable[]> {
  const { rows } = await engine.db.$client.query<WrittenTable>(
    `select t.connection, t.locator, array_agg(distinct s.written_in) as writers
     from mattock.load l join mattock.load_step s on s.load_id = l.id
       join mattock.touch t on t.load_id = s.load_id and t.step = s.step and t.direction = 'write'
     where l.run_id = $1 and s.written_in is not null and s.kept_from is null group by t.connection, t.locator`,
    [run],
  )
  return rows
}

/** What steps did, by load; what a rerun kept is that of the run that did it. */
async function stepsOf(engine: Engine, loads: readonly number[]): Promise<Map<number, StepRow[]>> {
  const { rows } = await engine.db.$client.query<StepRow>(
    `select s.load_id as load, s.step, s.kind, s.state, s.written, s.written_in as "writtenIn", s.files,
       coalesce(t.connection, s.statements -> -1 ->> 'on') as connection, t.locator
     from mattock.load_step s
       left join lateral (select connection, locator from mattock.touch where load_id = s.load_id and step = s.step and direction = 'write' order by id limit 1) t on true
     where s.load_id = any ($1) and s.kept_from is null order by s.load_id, s.position`,
    [loads],
  )
  const found = new Map<number, StepRow[]>()
  for (const row of rows) found.set(row.load, [...(found.get(row.load) ?? []), row])
  return found
}

/** The markers in every database that the steps may have left one in. */
async function markersOf(
  engine: Engine,
  environment: string,
  steps: ReadonlyMap<number, readonly StepRow[]>,
  signal: AbortSignal,
): Promise<Markers> {
  const all = [...steps.values()].flat()
  // one that failed must have left none
  const asked = all.filter(
    ({ writtenIn, state }) => writtenIn !== null || (state !== 'done' && state !== 'held'),
  )
  const { rows } = await engine.db.$client.query<{ name: string }>(
    `select name from mattock.connection where kind = 'postgres' and name = any ($1)`,
    [[...new Set(asked.flatMap(({ connection }) => connection ?? []))]],
  )
  const markers = new Map<string, ReadonlyMap<string, FoundMarker> | string>()
  for (const { name } of rows)
    markers.set(name, await readMarkers(engine, environment, name, [...steps.keys()], signal))
  return markers
}

interface LastWriter {
  readonly load: number
  /** Which run it was, in words. */
  readonly words: string
}

/** Who wrote into a table last. */
async function lastWriter(
  engine: Engine,
  environment: string,
  { connection, locator }: Placed,
): Promise<LastWriter | undefined> {
  const { rows } = await engine.db.$client.query<{ load: number; run: number; job: string }>(
    `select load_id as load, run_id as run, job from mattock.touch
     where environment = $1 and connection = $2 and locator = $3 and direction = 'write' order by at desc, id desc limit 1`,
    [environment, connection, locator],
  )
  const [last] = rows
  return last && { load: last.load, words: `run ${last.run} of ${last.job} wrote there last` }
}
