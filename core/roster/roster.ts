import { celRow, plainValue, type Bindings } from '../expression/cel'
import { unknownNames, unknownNameText } from '../expression/names'
import { fail, FaultError, type Fault } from '../fault'
import { rosterSource, wholeTable, type RosterSource, type RosterSpec } from '../job/rosters'
import { valueText, type Column, type Row, type Table, type Value, type ValueType } from '../value'
import type { RosterContext } from './context'
import { isFault, sourceId, type Gathered } from './gathered'
import { some } from '../text/someOf'
import { mostRows } from './most'

/** The rows a job loops over, typed, each with the key that names its loads. */
export interface Roster {
  readonly columns: readonly Column[]
  readonly key: readonly string[]
  readonly rows: readonly { readonly key: string; readonly row: Row }[]
  /** Rows there were before the filter. */
  readonly total: number
  /** Where exactly one row was meant and others were found; `outer` is the key of the row it was meant for. */
  readonly notOne: readonly { readonly outer: string | null; readonly found: number }[]
  /** Outer rows whose own roster could not be made, and why; the others go on. */
  readonly faults: readonly { readonly outer: string; readonly fault: Fault }[]
}

/**
 * A roster with those inside it. Sources that are not gathered yet go to `want`, and the roster is undefined: gather
 * them, and ask again. There is no cut-off.
 * @throws FaultError `unknown-name`, `syntax`, `expression`, `roster`, or the fault of a source that could not be read
 */
export function rosterOf(
  spec: RosterSpec,
  context: RosterContext,
  gathered: Gathered,
  want: (source: RosterSource) => void = () => {},
): Roster | undefined {
  const outer = level(spec, context, gathered, want, undefined)
  if (!outer) return undefined
  const one = (roster: Roster, of: string | null) =>
    spec.exactly_one && roster.rows.length !== 1 ? [{ outer: of, found: roster.rows.length }] : []
  if (!spec.inner) return { ...outer, notOne: one(outer, null) }
  return withInner(outer, one(outer, null), spec.inner, context, gathered, want)
}

/** Loops over the inner roster for each row of the outer. */
function withInner(
  outer: Roster,
  outerNotOne: Roster['notOne'],
  spec: RosterSpec,
  context: RosterContext,
  gathered: Gathered,
  want: (source: RosterSource) => void,
): Roster | undefined {
  const columns = new Map(outer.columns.map((column) => [column.name, column]))
  const types = typesOf(outer.columns)
  const rows: { key: string; row: Row }[] = []
  const notOne = [...outerNotOne]
  const faults = [...outer.faults]
  let key: readonly string[] = outer.key
  let total = 0
  let pending = false
  for (const { key: outerKey, row } of outer.rows) {
    const inside = {
      ...context,
      bindings: { ...context.bindings, row: celRow(row, types) } as Bindings,
      known: { ...context.known, row: [...columns.keys()] },
    }
    let inner: Roster | undefined
    let whole: Roster | undefined
    try {
      inner = level(spec, inside, gathered, want, { row, columns: outer.columns })
      whole = inner && spec.inner ? withInner(inner, [], spec.inner, context, gathered, want) : inner
    } catch (error) {
      if (!(error instanceof FaultError)) throw error
      faults.push({ outer: outerKey, fault: error.fault })
      continue
    }
    if (!inner || !whole) {
      pending = true
      continue
    }
    for (const column of whole.columns) if (!columns.has(column.name)) columns.set(column.name, column)
    if (spec.exactly_one && inner.rows.length !== 1)
      notOne.push({ outer: outerKey, found: inner.rows.length })
    notOne.push(...whole.notOne)
    faults.push(...whole.faults.map(({ outer, fault }) => ({ outer: join(outerKey, outer), fault })))
    total += whole.total
    key = [...outer.key, ...whole.key.filter((name) => !outer.key.includes(name))]
    for (const entry of whole.rows) rows.push({ key: join(outerKey, entry.key), row: entry.row })
  }
  const own = faults.slice(outer.faults.length)
  // what is wrong for every row alike is no matter of a row
  if (own.length === outer.rows.length && own.length > 0)
    if (own.every(({ fault }) => fault.message === own[0]!.fault.message)) throw new FaultError(own[0]!.fault)
  return pending ? undefined : { columns: [...columns.values()], key, rows, total, notOne, faults }
}

const join = (outer: string, inner: string): string => (outer === '' ? inner : `${outer} · ${inner}`)

/** One roster without those inside it; below an outer row its rows carry the outer row's columns, too. */
function level(
  spec: RosterSpec,
  context: RosterContext,
  gathered: Gathered,
  want: (source: RosterSource) => void,
  outer: { readonly row: Row; readonly columns: readonly Column[] } | undefined,
): Roster | undefined {
  const found = sourceTable(spec, context, gathered, want)
  if (!found) return undefined
  const table = spec.prefix === undefined ? found : prefixed(found, spec.prefix)
  if (table.rows.length > mostRows)
    fail('roster', `the roster has ${table.rows.length.toLocaleString('en')} rows; ${mostRows.toLocaleString('en')} are the most it may have`) // prettier-ignore
  if (table.columns.some(({ name }) => name === '__proto__'))
    fail('roster', 'a column of a roster cannot be called "__proto__"; give it another name where it is read')
  if (!outer) return makeRoster(spec, table, context)
  const clash = table.columns.find(({ name }) => outer.columns.some((column) => column.name === name))
  if (clash)
    fail(
      'roster',
      `both rosters have a column "${clash.name}"; give the inner one a prefix, such as prefix: inner_`,
    )
  const merged: Table = {
    columns: [...outer.columns, ...table.columns],
    key: table.key,
    rows: table.rows.map((row) => ({ ...outer.row, ...row })),
  }
  return makeRoster(spec, merged, context)
}

function sourceTable(
  spec: RosterSpec,
  context: RosterContext,
  gathered: Gathered,
  want: (source: RosterSource) => void,
): Table | undefined {
  const whole = wholeTable(spec, context)
  if (whole) return whole
  const source = rosterSource(spec, context)
  const found = gathered.get(sourceId(source))
  if (!found) {
    want(source)
    return undefined
  }
  if (isFault(found)) throw new FaultError(found)
  return found
}

function prefixed(table: Table, prefix: string): Table {
  const name = (column: string) => prefix + column
  return {
    columns: table.columns.map((column) => ({ ...column, name: name(column.name) })),
    key: table.key.map(name),
    rows: table.rows.map((row) =>
      Object.fromEntries(Object.entries(row).map(([column, value]) => [name(column), value])),
    ),
  }
}

/**
 * Filters, sorts and keys a table. There is no cut-off.
 * @throws FaultError `unknown-name`, `syntax` or `expression` for the filter, `roster` for key and sort columns
 */
export function makeRoster(spec: RosterSpec, table: Table, context: RosterContext): Roster {
  const key = spec.key ?? table.key
  const names = table.columns.map(({ name }) => name)
  for (const name of [...key, ...(spec.sort ?? []).map((sort) => sort.replace(/^-/, ''))]) {
    if (!names.includes(name))
      fail('unknown-name', `the roster has no column "${name}"; it has ${names.join(', ')}`)
  }
  let rows = table.rows
  const keyOf = (row: Row, i: number) =>
    key.map((name) => valueText(row[name] ?? null)).join(' · ') || String(i + 1)
  if (spec.where !== undefined) rows = filterRows(rows, table.columns, spec.where, context, keyOf)
  if (spec.sort) rows = [...rows].sort(byColumns(spec.sort))
  return {
    columns: table.columns,
    key,
    rows: rows.map((row, i) => ({ key: keyOf(row, i), row })),
    total: table.rows.length,
    notOne: [],
    faults: [],
  }
}

const typesOf = (columns: readonly Column[]): Record<string, ValueType> =>
  Object.fromEntries(columns.map(({ name, type }) => [name, type]))

/**
 * The rows for which an expression over `row` is true.
 * @throws FaultError `unknown-name`, `syntax`, `expression`; the last names the rows it is said of
 */
function filterRows(
  rows: readonly Row[],
  columns: readonly Column[],
  where: string,
  context: RosterContext,
  keyOf: (row: Row, i: number) => string,
): Row[] {
  const compiled = context.compile(where)
  const types = typesOf(columns)
  const [unknown] = unknownNames(compiled, { ...context.known, row: columns.map(({ name }) => name) })
  if (unknown)
    fail('unknown-name', `${unknownNameText(unknown)} (in the filter "${where}")`, { offset: unknown.offset })
  const wrong: { key: string; why: string }[] = []
  const kept = rows.filter((row, i) => {
    try {
      const verdict = plainValue(compiled.evaluate({ ...context.bindings, row: celRow(row, types) }))
      if (typeof verdict === 'boolean') return verdict
      wrong.push({ key: keyOf(row, i), why: `it gives ${String(verdict)}, not true or false` })
    } catch (error) {
      if (!(error instanceof FaultError)) throw error
      wrong.push({ key: keyOf(row, i), why: error.fault.message })
    }
    return false
  })
  const [first] = wrong
  if (first)
    fail('expression', `the filter "${where}" fails for ${some(wrong.map(({ key }) => key))}: ${first.why}`)
  return kept
}

function byColumns(columns: readonly string[]) {
  return (a: Row, b: Row): number => {
    for (const column of columns) {
      const down = column.startsWith('-')
      const order = compareValues(
        a[down ? column.slice(1) : column] ?? null,
        b[down ? column.slice(1) : column] ?? null,
      )
      if (order !== 0) return down ? -order : order
    }
    return 0
  }
}

function compareValues(a: Value, b: Value): number {
  if (a === b) return 0
  if (a === null) return 1
  if (b === null) return -1
  return a < b ? -1 : 1
}
