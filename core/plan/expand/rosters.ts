import { celCompiler, celRow } from '../../expression/cel'
import { FaultError } from '../../fault'
import type { Part } from '../../job/document'
import { rosterNote, type RosterSource } from '../../job/rosters'
import type { RosterContext } from '../../roster/context'
import { sourceId, type Gathered } from '../../roster/gathered'
import { rosterOf, type Roster } from '../../roster/roster'
import type { Row } from '../../value'
import { gatherer, type Gatherer } from '../gather'
import { givenParameters } from '../parameters'
import type { PlanRequest } from '../types'
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
    if (roster.rows.length === 0) {
      const why = roster.total > 0 ? `its ${roster.total} rows are all filtered out` : 'it has no rows'
      findings.add('empty-roster', 'look', `the roster is empty: ${why}; this part does nothing`, where)
    }
    tellNotOne(roster, where, findings)
    tellRepeats(roster, where, findings)
    return roster
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    findings.add(findingCode(error.fault.code), 'stop', error.fault.message, {
      ...error.fault.where,
      part: index,
      path,
    })
    return { columns: [], key: [], rows: [], total: 0, notOne: [] }
  }
}

function tellNotOne({ notOne }: Roster, where: { part: number; path: string }, findings: Gatherer): void {
  const [first] = notOne
  if (!first) return
  const more = notOne.length > 1 ? `; so it is for ${notOne.length} outer rows` : ''
  const of = first.outer === null ? '' : `${first.outer}: `
  findings.add('not-one-row', 'stop', `${of}expected 1 row, found ${first.found}${more}`, where)
}

function tellRepeats({ rows, key }: Roster, where: { part: number; path: string }, findings: Gatherer): void {
  const seen = new Set<string>()
  const twice = new Set<string>()
  for (const row of rows) (seen.has(row.key) ? twice : seen).add(row.key)
  if (twice.size === 0) return
  const names = [...twice].slice(0, 3).join(', ')
  const others = twice.size > 3 ? ` and ${twice.size - 3} more` : ''
  findings.add(
    'key-repeats',
    'look',
    `several rows have the same key (${key.join(', ')}): ${names}${others}; their loads cannot be told apart by name. Give the roster a key of more columns`,
    where,
  )
}
