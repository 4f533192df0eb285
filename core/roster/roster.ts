import { Temporal } from 'temporal-polyfill'
import { celRow, plainValue, type Bindings, type Compiled } from '../expression/cel'
import { unknownNames, unknownNameText, type KnownNames } from '../expression/names'
import { fail } from '../fault'
import type { RosterSpec } from '../job/document'
import { valueText, type Column, type Row, type Table, type Value, type ValueType } from '../value'

/** The rows a job loops over, typed, each with the key that names its loads. */
export interface Roster {
  readonly columns: readonly Column[]
  readonly key: readonly string[]
  readonly rows: readonly { readonly key: string; readonly row: Row }[]
  /** Rows there were before the filter. */
  readonly total: number
}

/** A range of numbers or dates, both ends included. @throws FaultError `roster` */
export function rangeTable(range: NonNullable<RosterSpec['range']>): Table {
  const { as, from, to, step } = range
  const rows: Row[] = []
  const limit = 1_000_000
  const tooMany = (): never => fail('roster', `the range ${from} to ${to} has more than ${limit} values`)
  if (typeof from === 'number' && typeof to === 'number') {
    if (typeof step !== 'number' || step === 0)
      fail('roster', 'a range of numbers needs a step that is a number and not 0')
    const count = Math.floor((to - from) / step + 1e-9) + 1
    if (count > limit) tooMany()
    // from + i * step, never a running sum, so that steps like 0.1 do not drift
    for (let i = 0; i < count; i++) rows.push({ [as]: Number((from + i * step).toPrecision(15)) })
    const whole = Number.isInteger(from) && Number.isInteger(step)
    return { columns: [{ name: as, type: whole ? 'integer' : 'number' }], key: [as], rows }
  }
  try {
    const first = Temporal.PlainDate.from(String(from))
    const last = Temporal.PlainDate.from(String(to))
    const every = Temporal.Duration.from(typeof step === 'number' ? { days: step } : step)
    if (every.sign <= 0) fail('roster', 'a range of dates needs a step forward, such as P1D')
    for (let i = 0; ; i++) {
      const date = first.add({
        years: every.years * i,
        months: every.months * i,
        weeks: every.weeks * i,
        days: every.days * i,
      })
      if (Temporal.PlainDate.compare(date, last) > 0) break
      if (i >= limit) tooMany()
      rows.push({ [as]: date.toString() })
    }
  } catch (error) {
    if (error instanceof RangeError)
      fail(
        'roster',
        `cannot read the range ${from} to ${to} by ${step}: numbers, or dates such as 2026-11-01`,
      )
    throw error
  }
  return { columns: [{ name: as, type: 'date' }], key: [as], rows }
}

/** Rows typed into the document; a column's type is that of its first value. */
export function typedTable(rows: readonly Row[]): Table {
  const types = new Map<string, ValueType>()
  for (const row of rows) {
    for (const [name, value] of Object.entries(row)) {
      if (value === null || types.has(name)) continue
      types.set(
        name,
        typeof value === 'boolean'
          ? 'boolean'
          : typeof value === 'number'
            ? Number.isInteger(value)
              ? 'integer'
              : 'number'
            : 'text',
      )
    }
  }
  const columns = [...types].map(([name, type]) => ({ name, type }))
  const first = columns[0]?.name
  return { columns, key: first === undefined ? [] : [first], rows }
}

export interface RosterContext {
  readonly compile: (source: string) => Compiled
  /** Bindings besides `row`. */
  readonly bindings: Bindings
  readonly known: KnownNames
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
  if (spec.where !== undefined) rows = filterRows(rows, table.columns, spec.where, context)
  if (spec.sort) rows = [...rows].sort(byColumns(spec.sort))
  return {
    columns: table.columns,
    key,
    rows: rows.map((row, i) => ({
      key: key.map((name) => valueText(row[name] ?? null)).join(' · ') || String(i + 1),
      row,
    })),
    total: table.rows.length,
  }
}

/** The rows for which an expression over `row` is true. */
export function filterRows(
  rows: readonly Row[],
  columns: readonly Column[],
  where: string,
  context: RosterContext,
): Row[] {
  const compiled = context.compile(where)
  const types = Object.fromEntries(columns.map(({ name, type }) => [name, type]))
  const [unknown] = unknownNames(compiled, { ...context.known, row: columns.map(({ name }) => name) })
  if (unknown)
    fail('unknown-name', `${unknownNameText(unknown)} (in the filter "${where}")`, { offset: unknown.offset })
  return rows.filter((row) => {
    const verdict = plainValue(compiled.evaluate({ ...context.bindings, row: celRow(row, types) }))
    if (typeof verdict !== 'boolean')
      fail('expression', `the filter "${where}" gives ${String(verdict)}, not true or false`)
    return verdict
  })
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
