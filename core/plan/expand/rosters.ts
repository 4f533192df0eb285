import { celCompiler, celRow } from '../../expression/cel'
import { FaultError } from '../../fault'
import { groupBy } from '../../group'
import { number, some } from '../../text/someOf'
import type { Part } from '../../job/document'
import { rosterNote, type RosterSource } from '../../job/rosters'
import type { RosterContext } from '../../roster/context'
import { sourceId, type Gathered } from '../../roster/gathered'
import { rosterOf, type Roster } from '../../roster/roster'
import type { Row } from '../../value'
import { gatherer, type Gatherer } from '../gather'
import { givenParameters } from '../parameters'
import type { PlanRequest, PlannedLoad } from '../types'
import { findingCode } from './codes'

/** What the expressions of a job's rosters see. */
export function rosterContext(request: PlanRequest, parameters: Row): RosterContext {
  const { job, environment } = request
  const zone = job.slices?.zone ?? 'UTC'
  return {
    zone,
    compile: celCompiler(zone),
    known: {
      param: Object.keys(job.parameters),
      env: ['name', ...Object.keys(environment.values)],
      run: ['id', 'started'],
    },
    bindings: {
      param: celRow(
        parameters,
        Object.fromEntries(Object.entries(job.parameters).map(([name, { type }]) => [name, type])),
      ),
      env: { name: environment.name, ...environment.values } as never,
    },
  }
}

/**
 * What the rosters of a job need to have read and that is not gathered yet. Inner rosters depend on the rows of the
 * outer: gather what is wanted and ask again, until nothing is.
 */
export function wantedSources(request: PlanRequest, gathered: Gathered): RosterSource[] {
  const parameters = givenParameters(request.job, request.parameters, gatherer(request.job.name))
  const context = rosterContext(request, parameters)
  const wanted = new Map<string, RosterSource>()
  for (const part of request.job.parts) {
    if (!part.each) continue
    try {
      rosterOf(part.each.roster, context, gathered, (source) => wanted.set(sourceId(source), source))
    } catch (error) {
      // it is told as a finding when the plan is expanded
      if (!(error instanceof FaultError)) throw error
    }
  }
  return [...wanted.values()]
}

/** Without an outer row nobody knows the columns of the roster inside it. */
export const knownColumns = (roster: Roster, part: Part): readonly string[] | 'any' =>
  roster.rows.length === 0 && part.each!.roster.inner ? 'any' : roster.columns.map(({ name }) => name)

/** The rows of a part; what is wrong with them is a finding. */
export function partRoster(
  part: Part,
  index: number,
  gathered: Gathered,
  context: RosterContext,
  findings: Gatherer,
): Roster {
  const spec = part.each!.roster
  const path = `parts.${index}.each.roster`
  try {
    const roster = rosterOf(spec, context, gathered)
    if (!roster) throw new Error('a roster was expanded before its sources were read')
    const where = { part: index, path }
    // with a roster inside it the rows are no longer its own
    const note = spec.inner ? undefined : rosterNote(spec, roster.total)
    if (note) findings.add('range-count', 'note', note.text, { part: index, path: `${path}.${note.kind}` })
    tellFaults(roster, where, findings)
    if (roster.rows.length === 0 && roster.faults.length === 0) {
      const why = roster.total > 0 ? `its ${roster.total} rows are all filtered out` : 'it has no rows'
      findings.add('empty-roster', 'look', `the roster is empty: ${why}; this part does nothing`, where)
    }
    tellNotOne(roster, where, findings)
    return roster
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    findings.add(findingCode(error.fault.code), 'stop', error.fault.message, {
      ...error.fault.where,
      part: index,
      path,
    })
    return { columns: [], key: [], rows: [], total: 0, notOne: [], faults: [] }
  }
}

/** What stands in the way of the rosters inside outer rows: one finding for those of which the same is said. */
function tellFaults({ faults }: Roster, where: { part: number; path: string }, findings: Gatherer): void {
  for (const [said, group] of groupBy(faults, ({ fault }) => `${fault.code}\n${fault.message}`))
    findings.add(
      findingCode(group[0]!.fault.code),
      'stop',
      `${some(group.map(({ outer }) => outer))}: ${said.slice(said.indexOf('\n') + 1)}`,
      { ...group[0]!.fault.where, ...where },
    )
}

function tellNotOne({ notOne }: Roster, where: { part: number; path: string }, findings: Gatherer): void {
  const [first] = notOne
  if (!first) return
  const more =
    notOne.length > 1
      ? `; so it is for ${number(notOne.length)} outer rows: ${some(notOne.map(({ outer }) => outer ?? ''))}`
      : ''
  const of = first.outer === null ? '' : `${first.outer}: `
  findings.add('not-one-row', 'stop', `${of}expected 1 row, found ${first.found}${more}`, where)
}

/** `key-repeats`, with the rows and the loads it is said of. */
export function tellRepeats(
  { rows, key }: Roster,
  index: number,
  loads: readonly PlannedLoad[],
  findings: Gatherer,
): void {
  const places = new Map<string, number[]>()
  rows.forEach((row, i) => {
    const known = places.get(row.key)
    if (known) known.push(i)
    else places.set(row.key, [i])
  })
  const twice = [...places].filter(([, at]) => at.length > 1)
  if (twice.length === 0) return
  const names = twice.map(([name, at]) => `${name} (rows ${some(at.map((i) => number(i + 1)))})`)
  const those = new Set(twice.flatMap(([, at]) => at))
  findings.add(
    'key-repeats',
    'look',
    `several rows have the same key (${key.join(', ')}): ${some(names)}; their loads cannot be told apart by name. Give the roster a key of more columns`,
    { part: index, path: `parts.${index}.each.roster` },
    loads.flatMap((load, i) => (load.part === index && those.has(load.row) ? [i] : [])),
  )
}
