import { Temporal } from 'temporal-polyfill'
import {
  celCompiler,
  celInput,
  celRow,
  plainValue,
  timestamp,
  type Bindings,
  type Compiled,
} from '../expression/cel'
import { unknownNames, unknownNameText, type KnownNames } from '../expression/names'
import {
  assemble,
  compileSlot,
  slotsOf,
  workOut,
  type CompiledSlot,
  type Resolved,
  type Worked,
} from '../text/slot'
import { FaultError } from '../fault'
import { stepKind, stepsOf, type Job, type Part } from '../job/document'
import { rosterOf, type Roster } from '../roster/roster'
import { sourceId, type Gathered, type RosterContext, type RosterSource } from '../roster/source'
import type { Slice } from '../slice/slices'
import type { Row, ValueType } from '../value'
import { gatherer } from './gather'
import { givenParameters } from './parameters'
import type { Expansion, FindingCode, PlannedLoad, PlanPart, PlanRequest, Varies } from './types'

/** Roots whose worth is known only while a load runs. */
const laterRoots = ['step', 'run', 'file']

/**
 * Works out every load of a job and resolves every text, without looking anything up.
 * `gathered` holds what the job's rosters read (see {@link wantedSources}). Faults become findings; nothing is thrown
 * for what a person wrote.
 */
export function expand(request: PlanRequest, gathered: Gathered): Expansion {
  const { job } = request
  const findings = gatherer(job.name)
  const parameters = givenParameters(job, request.parameters, findings)
  const context = rosterContext(request, parameters)
  const { compile, known, bindings: base } = context
  const parts: PlanPart[] = []
  const loads: PlannedLoad[] = []
  const earlier: string[] = []
  job.parts.forEach((part, index) => {
    const roster = part.each ? partRoster(part, index, gathered, context, findings) : undefined
    const slices = part.each?.slices === false || !part.each ? undefined : request.slices
    const steps = stepsOf(part)
    const names: KnownNames = {
      ...known,
      ...(roster ? { row: knownColumns(roster, part) } : {}),
      ...(slices ? { slice: ['from', 'to', 'label'] } : {}),
      file: ['name', 'path', 'size'],
    }
    const slots: (CompiledSlot | undefined)[] = []
    const planSteps = steps.map((step) => {
      const list = slotsOf(step)
      for (const slot of list) {
        slots.push(checkedSlot(slot, compile, { ...names, step: [...earlier] }, index, job, findings))
      }
      earlier.push(step.id)
      return { id: step.id, title: step.title ?? step.id, kind: stepKind(step), slots: list }
    })
    parts.push({
      index,
      steps: planSteps,
      roster,
      slices,
      atOnce: part.each?.at_once ?? 1,
      varies: slots.map((slot) => variesBy(slot, roster !== undefined, slices !== undefined)),
    })
    resolveLoads({
      index,
      slots,
      roster,
      slices,
      base,
      only: request.only,
      context,
      names,
      loads,
      findings,
      each: part.each !== undefined,
      title: part.title ?? planSteps[0]?.title ?? 'once',
    })
  })
  return { request, parts, loads, findings: findings.list(), parameters }
}

type Findings = ReturnType<typeof gatherer>

function rosterContext(request: PlanRequest, parameters: Row): RosterContext {
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
const knownColumns = (roster: Roster, part: Part): readonly string[] | 'any' =>
  roster.rows.length === 0 && part.each!.roster.inner ? 'any' : roster.columns.map(({ name }) => name)

function partRoster(
  part: Part,
  index: number,
  gathered: Gathered,
  context: RosterContext,
  findings: Findings,
): Roster {
  const spec = part.each!.roster
  const path = `parts.${index}.each.roster`
  try {
    const roster = rosterOf(spec, context, gathered)
    if (!roster) throw new Error('a roster was expanded before its sources were read')
    const where = { part: index, path }
    // with a roster inside it the rows are no longer those of the range
    if (spec.range && !spec.inner) {
      findings.add(
        'range-count',
        'note',
        `the range ${spec.range.from} to ${spec.range.to} is ${roster.total.toLocaleString('en')} values, both ends included`,
        { part: index, path: `${path}.range` },
      )
    }
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

/** Codes of faults that are codes of findings, too; what else goes wrong is an expression that cannot be worked out. */
function findingCode(code: string): FindingCode {
  const own = ['unknown-name', 'empty-value', 'outside-store', 'connection', 'roster'] as const
  return own.find((known) => known === code) ?? 'expression'
}

function tellNotOne({ notOne }: Roster, where: { part: number; path: string }, findings: Findings): void {
  const [first] = notOne
  if (!first) return
  const more = notOne.length > 1 ? `; so it is for ${notOne.length} outer rows` : ''
  const of = first.outer === null ? '' : `${first.outer}: `
  findings.add('not-one-row', 'stop', `${of}expected 1 row, found ${first.found}${more}`, where)
}

function tellRepeats({ rows, key }: Roster, where: { part: number; path: string }, findings: Findings): void {
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

/** Compiles a slot; a slot with a fault is undefined and its fault a finding. */
function checkedSlot(
  slot: ReturnType<typeof slotsOf>[number],
  compile: (source: string) => Compiled,
  known: KnownNames,
  part: number,
  job: Job,
  findings: Findings,
): CompiledSlot | undefined {
  const list = job.parts[part]!.once ? 'once' : 'do'
  const number = (job.parts[part]!.once ?? job.parts[part]!.do ?? []).findIndex(({ id }) => id === slot.step)
  const where = { part, step: slot.step, path: `parts.${part}.${list}.${number}.${slot.path}` }
  try {
    const compiled = compileSlot(slot, compile)
    let good = true
    compiled.pieces.forEach((piece, i) => {
      if (typeof piece === 'string') return
      for (const unknown of unknownNames(piece, known)) {
        good = false
        findings.add('unknown-name', 'stop', unknownNameText(unknown), {
          ...where,
          offset: compiled.offsets[i]! + unknown.offset,
          length: unknown.name.length,
        })
      }
      if (piece.use === 'raw') {
        findings.add(
          'raw-sql',
          'look',
          `{${piece.source}} is spliced into the SQL as it is; a value needs no raw(), a name goes through name()`,
          where,
        )
      }
    })
    return good ? compiled : undefined
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    findings.add('expression', 'stop', error.fault.message, { ...where, ...error.fault.where })
    return undefined
  }
}

/** A slot whose worth comes later is the same text in all loads. */
function variesBy(slot: CompiledSlot | undefined, rows: boolean, slices: boolean): Varies {
  if (!slot || laterRoots.some((root) => slot.roots.has(root))) return 'same'
  const row = rows && slot.roots.has('row')
  const slice = slices && slot.roots.has('slice')
  return row ? (slice ? 'both' : 'row') : slice ? 'slice' : 'same'
}

interface Resolving {
  readonly index: number
  readonly each: boolean
  /** What a part that runs once is called. */
  readonly title: string
  readonly slots: readonly (CompiledSlot | undefined)[]
  readonly roster: Roster | undefined
  readonly slices: readonly Slice[] | undefined
  readonly base: Bindings
  readonly only: string | undefined
  readonly context: RosterContext
  readonly names: KnownNames
  readonly loads: PlannedLoad[]
  readonly findings: Findings
}

function resolveLoads(part: Resolving): void {
  const { roster, slices, base, findings, index, loads } = part
  const types: Record<string, ValueType> = Object.fromEntries(
    (roster?.columns ?? []).map(({ name, type }) => [name, type]),
  )
  const rowBindings = (roster?.rows ?? []).map(({ row }) => celRow(row, types))
  const sliceBindings = (slices ?? []).map(sliceBinding)
  const bindings = (row: number, slice: number): Bindings =>
    ({
      ...base,
      ...(row >= 0 ? { row: rowBindings[row] } : {}),
      ...(slice >= 0 ? { slice: sliceBindings[slice] } : {}),
    }) as Bindings
  const keep = part.each ? loadFilter(part, bindings) : () => true
  const resolvers = part.slots.map((slot) => slot && slotResolver(slot, bindings))
  const rowCount = part.each ? roster!.rows.length : 1
  const sliceCount = part.each && slices ? slices.length : 1
  for (let s = 0; s < sliceCount; s++) {
    for (let r = 0; r < rowCount; r++) {
      const row = part.each ? r : -1
      const slice = part.each && slices ? s : -1
      if (!keep(row, slice)) continue
      const number = loads.length
      const rowKey = row >= 0 ? roster!.rows[row]!.key : part.title
      const key = slice >= 0 ? `${rowKey} · ${slices![slice]!.label}` : rowKey
      const resolved = resolvers.map((resolve, i) => {
        if (!resolve) return null
        const outcome = resolve(row, slice)
        if (outcome.fault) {
          findings.addForLoad(
            findingCode(outcome.fault.code),
            'stop',
            outcome.fault.message,
            { part: index, step: part.slots[i]!.step, path: part.slots[i]!.path },
            number,
          )
        }
        return outcome.value
      })
      loads.push({ part: index, key, row, slice, resolved })
    }
  }
}

function loadFilter(part: Resolving, bindings: (row: number, slice: number) => Bindings) {
  if (part.only === undefined || part.only.trim() === '') return () => true
  const where = { part: part.index, path: 'only' }
  try {
    const compiled = part.context.compile(part.only)
    const [unknown] = unknownNames(compiled, part.names)
    if (unknown) {
      part.findings.add(
        'unknown-name',
        'stop',
        `${unknownNameText(unknown)} (in the filter "${part.only}")`,
        where,
      )
      return () => true
    }
    return (row: number, slice: number): boolean => {
      try {
        const verdict = plainValue(compiled.evaluate(bindings(row, slice)))
        if (typeof verdict === 'boolean') return verdict
        part.findings.add(
          'expression',
          'stop',
          `the filter "${part.only}" gives ${String(verdict)}, not true or false`,
          where,
        )
      } catch (error) {
        if (!(error instanceof FaultError)) throw error
        part.findings.add('expression', 'stop', error.fault.message, where)
      }
      return true
    }
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    part.findings.add('expression', 'stop', `${error.fault.message} (in the filter)`, where)
    return () => true
  }
}

interface Outcome {
  readonly value: Resolved | null
  readonly fault?: { readonly code: string; readonly message: string }
}

/**
 * Resolves a slot for a row and a slice. What depends on the row alone is worked out once a row, what depends on
 * the slice alone once a slice: 10,000 rows × 30 slices then cost 10,030 evaluations, not 300,000.
 */
export function slotResolver(slot: CompiledSlot, bindings: (row: number, slice: number) => Bindings) {
  if (laterRoots.some((root) => slot.roots.has(root))) {
    const later: Outcome = { value: { kind: 'later', text: slot.text } }
    return (): Outcome => later
  }
  const cached = <T>(usesRow: boolean, usesSlice: boolean, make: (row: number, slice: number) => T) => {
    if (usesRow && usesSlice) return make
    const made: T[] = []
    return (row: number, slice: number): T => {
      const at = (usesRow ? row : usesSlice ? slice : -1) + 1
      return (made[at] ??= make(row, slice))
    }
  }
  const works = slot.pieces.map((piece) => {
    if (typeof piece === 'string') return () => ''
    const roots = new Set(piece.references.map(({ root }) => root))
    const work = (row: number, slice: number): { worth: Worked } => ({
      worth: workOut(piece, bindings(row, slice)),
    })
    const get = cached(roots.has('row'), roots.has('slice'), work)
    return (row: number, slice: number): Worked => get(row, slice).worth
  })
  const named = slot.kind === 'table' || slot.kind === 'path' || slot.kind === 'address'
  return cached(slot.roots.has('row'), slot.roots.has('slice'), (row, slice): Outcome => {
    try {
      const empty =
        named && slot.pieces.find((piece, i) => typeof piece !== 'string' && isEmpty(works[i]!(row, slice)))
      if (empty && typeof empty !== 'string') {
        const what = slot.kind === 'table' ? 'a name' : 'a path'
        return {
          value: assembled(slot, (i) => works[i]!(row, slice)),
          fault: { code: 'empty-value', message: `{${empty.source}} is empty, and ${what} is built from it` },
        }
      }
      return { value: assemble(slot, (i) => works[i]!(row, slice)) }
    } catch (error) {
      if (!(error instanceof FaultError)) throw error
      return { value: null, fault: error.fault }
    }
  })
}

/** What there is of a slot with a fault. */
function assembled(slot: CompiledSlot, worth: (index: number) => Worked): Resolved | null {
  try {
    return assemble(slot, worth)
  } catch (error) {
    if (error instanceof FaultError) return null
    throw error
  }
}

const isEmpty = (value: Worked): boolean =>
  value === null ||
  value === '' ||
  (Array.isArray(value) && value.length === 1 && isEmpty(value[0] as Worked))

function sliceBinding(slice: Slice): Record<string, unknown> {
  return {
    from: timestamp(Temporal.Instant.from(slice.from)),
    to: timestamp(Temporal.Instant.from(slice.to)),
    label: celInput(slice.label, 'text'),
  }
}

/** Bindings for one row and slice, with what is known only while running. */
export function runBindings(
  job: Job,
  given: {
    parameters: Row
    environment: PlanRequest['environment']
    row: Row | null
    columns: Readonly<Record<string, ValueType>>
    slice: Slice | null
  },
  running: { run: { id: number; started: string }; step: Record<string, Row>; file: Row | null },
): Bindings {
  const parameterTypes = Object.fromEntries(
    Object.entries(job.parameters).map(([name, { type }]) => [name, type]),
  )
  return {
    param: celRow(given.parameters, parameterTypes),
    env: { name: given.environment.name, ...given.environment.values },
    run: { id: BigInt(running.run.id), started: timestamp(Temporal.Instant.from(running.run.started)) },
    step: Object.fromEntries(
      Object.entries(running.step).map(([id, outcome]) => [
        id,
        celRow(outcome, Object.fromEntries(Object.keys(outcome).map((name) => [name, 'integer']))),
      ]),
    ),
    ...(running.file ? { file: celRow(running.file, { size: 'integer' }) } : {}),
    ...(given.row ? { row: celRow(given.row, given.columns) } : {}),
    ...(given.slice ? { slice: sliceBinding(given.slice) } : {}),
  } as Bindings
}
