import { FaultError, type Fault } from '../../core/fault'
import type { RosterSource } from '../../core/job/rosters'
import { wantedSources } from '../../core/plan/expand/rosters'
import type { PlanRequest } from '../../core/plan/types'
import { isFault, sourceId, type Gathered } from '../../core/roster/gathered'
import type { Table } from '../../core/value'
import { openAs } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import { postgresMessage } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { inBatches } from '../context/inBatches'
import { memory } from '../context/memory'
import { StepFault } from '../context/step'
import { isEdited, placeOf, readSource } from './rosters/index'

/** Reads what the rosters of a job need, inner ones after the outer; a source that cannot be read is a fault of its own. */
export async function gatherRosters(
  engine: Engine,
  request: PlanRequest,
  given: Gathered = new Map(),
): Promise<Gathered> {
  const gathered = new Map(given)
  const read = sourceReader(engine, request)
  for (;;) {
    const wanted = wantedSources(request, gathered)
    if (wanted.length === 0) return gathered
    await inBatches(wanted, 8, async (source) => {
      gathered.set(sourceId(source), await read(source))
    })
  }
}

/** What was read while somebody types, by environment and source; a query is then not run for each letter. */
const lately = memory<Table>(200, 5000)

/**
 * As {@link gatherRosters}, with what was read in the last five seconds: for what is shown while a document is typed.
 * Control tables are read anew, since the next glance after an edit of one must show it; so is what could not be read.
 */
export async function gatherLately(engine: Engine, request: PlanRequest): Promise<Gathered> {
  const prefix = `${request.environment.name}\n${request.job.slices?.zone ?? 'UTC'}\n`
  const given = new Map<string, Table>()
  for (const [id, found] of lately.all(engine))
    if (String(id).startsWith(prefix)) given.set(String(id).slice(prefix.length), await found)
  const gathered = await gatherRosters(engine, request, given)
  for (const [id, found] of gathered) {
    if (given.has(id) || isFault(found) || isEdited(JSON.parse(id) as RosterSource)) continue
    lately.keep(engine, prefix + id, found)
  }
  return gathered
}

/** Reads one source; what stands in the way of reading it is told as a fault. */
export function sourceReader(
  engine: Engine,
  request: Pick<PlanRequest, 'environment' | 'job'>,
): (source: RosterSource) => Promise<Table | Fault> {
  const environment = request.environment.name
  const zone = request.job.slices?.zone ?? 'UTC'
  const listers = new Map<string, Promise<Lister>>()
  const listerOf = (store: string) => {
    let lister = listers.get(store)
    if (!lister)
      listers.set(
        store,
        (lister = openAs(engine, 'files', store, environment).then((opened) => new Lister(opened.store))),
      )
    return lister
  }
  const reading = { engine, environment, zone, listerOf }
  return async (source) => {
    try {
      return await readSource(source, reading)
    } catch (error) {
      return sourceFault(error, source)
    }
  }
}

/** What a source says against being read, in words; what is no matter of the source goes on as it is. */
function sourceFault(error: unknown, source: RosterSource): Fault {
  if (error instanceof FaultError) return error.fault
  if (error instanceof StepFault) return { code: 'roster', message: error.message, where: {} }
  const { code } = error as { code?: unknown }
  if (typeof code !== 'string') throw error
  return { code: 'roster', message: `${postgresMessage(error)}${placeOf(source)}`, where: {} }
}
