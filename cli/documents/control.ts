import { Document, isMap, isSeq } from 'yaml'
import { routes } from '../../contract/routes'
import { keyId, keyOf, type ControlEdit } from '../../core/control/edits'
import type { ControlDocument } from '../../core/document/control'
import type { Row, Table, Value, ValueType } from '../../core/value'
import { ApiError } from '../api'
import type { Carrier } from './definition'

export const control: Carrier<'control'> = {
  put: async (api, { value }, { environment, remove }) => {
    const { name, title, table, rules } = value
    const known = (await api.call(routes.controlTables, { query: { environment } })).some(
      (one) => one.name === name,
    )
    const columns = Object.entries(value.columns).map(([column, type]) => ({ name: column, type }))
    if (!known && !table) {
      await api.call(routes.createControl, {
        body: {
          name,
          title,
          columns,
          key: value.key,
          rows: value.rows.map((row) => whole(value, row)),
          rules,
        },
      })
      return `made with ${rowsText(value.rows.length)}`
    }
    if (!known && table)
      await api.call(routes.adoptControl, { query: { environment }, body: { name, title, ...table } })
    const at = { params: { name }, query: { environment } }
    const before = await api.call(routes.controlTable, at)
    if (before.key.join('\n') !== value.key.join('\n'))
      throw new ApiError(
        `its key is ${before.key.join(', ')} and cannot become ${value.key.join(', ')}`,
        'conflict',
      )
    const said: string[] = known ? [] : ['taken as a control table']
    for (const column of columns) {
      const own = before.columns.find((one) => one.name === column.name)
      if (own && own.type !== column.type)
        throw new ApiError(
          `its column ${column.name} is ${own.type} and cannot become ${column.type}`,
          'conflict',
        )
      if (own) continue
      if (before.where.connection !== null)
        throw new ApiError(
          `${before.where.schema}.${before.where.table} has no column "${column.name}"; add it in its database`,
          'unknown-name',
        )
      await api.call(routes.addControlColumn, { ...at, body: column })
      said.push(`column ${column.name} added`)
    }
    if (before.title !== title || !equal(before.rules, rules)) {
      await api.call(routes.changeControl, { ...at, body: { title, rules } })
      said.push('title and rules changed')
    }
    const edits = editsOf(value, before, remove)
    if (edits.length > 0) {
      const { conflicts } = await api.call(routes.editControl, { ...at, body: { edits } })
      if (conflicts.length > 0)
        throw new ApiError(
          `${rowsText(conflicts.length)} changed meanwhile; none of its rows was saved, put it again`,
          'conflict',
        )
      for (const kind of ['add', 'change', 'remove'] as const) {
        const n = edits.filter((edit) => edit.kind === kind).length
        if (n > 0)
          said.push(`${rowsText(n)} ${kind === 'add' ? 'added' : kind === 'change' ? 'changed' : 'removed'}`)
      }
    }
    const own = new Set(value.rows.map((row) => keyId(keyOf(before, row))))
    const more = before.rows.filter((row) => !own.has(keyId(keyOf(before, row)))).length
    if (more > 0 && !remove)
      said.push(`${rowsText(more)} not in the document left there; --remove takes such away`)
    return said.join(', ') || 'as it was'
  },
  names: async (api, environment) =>
    (await api.call(routes.controlTables, { query: { environment } })).map(({ name }) => name),
  get: async (api, name, environment) => {
    const { title, where, key, columns, rules, rows } = await api.call(routes.controlTable, {
      params: { name },
      query: { environment },
    })
    const document = new Document({
      mattock: 'control/1',
      name,
      title,
      ...(where.connection === null
        ? {}
        : { table: { connection: where.connection, schema: where.schema, table: where.table } }),
      key,
      columns: Object.fromEntries(columns.map((column) => [column.name, column.type])),
      ...(Object.keys(rules).length > 0 ? { rules } : {}),
      rows: rows.map((row) => Object.fromEntries(Object.entries(row).filter(([, cell]) => cell !== null))),
    })
    // a row a line, so that a change of one is a line in a comparison
    for (const path of ['rows', 'key']) {
      const list = document.get(path)
      if (isSeq(list)) {
        if (path === 'key') list.flow = true
        for (const row of list.items) if (isMap(row)) row.flow = true
      }
    }
    return document.toString({ lineWidth: 0 })
  },
}

const rowsText = (n: number): string => `${n.toLocaleString('en')} ${n === 1 ? 'row' : 'rows'}`

const equal = (a: unknown, b: unknown): boolean => JSON.stringify(sorted(a)) === JSON.stringify(sorted(b))

const sorted = (value: unknown): unknown =>
  typeof value !== 'object' || value === null || Array.isArray(value)
    ? value
    : Object.fromEntries(
        Object.entries(value)
          .sort(([a], [b]) => (a < b ? -1 : 1))
          .map(([key, below]) => [key, sorted(below)]),
      )

/** A row with every column; what the document leaves out is empty. Times are written as the store gives them. */
const whole = ({ columns }: Pick<ControlDocument, 'columns'>, row: Row): Row =>
  Object.fromEntries(Object.entries(columns).map(([name, type]) => [name, asStored(row[name] ?? null, type)]))

function asStored(cell: Value, type: ValueType): Value {
  if (cell === null) return null
  if (type === 'time' && /^\d\d:\d\d$/.test(String(cell))) return `${String(cell)}:00`
  const at = type === 'timestamp' ? Date.parse(String(cell)) : NaN
  return Number.isNaN(at) ? cell : new Date(at).toISOString()
}

/** What makes the rows of a table those of a document. */
export function editsOf(
  document: Pick<ControlDocument, 'columns' | 'rows'>,
  table: Pick<Table, 'key' | 'rows'> & { readonly versions: readonly string[] },
  remove: boolean,
): ControlEdit[] {
  const before = new Map(
    table.rows.map((row, i) => [keyId(keyOf(table, row)), { row, version: table.versions[i]! }]),
  )
  const edits: ControlEdit[] = []
  for (const given of document.rows) {
    const row = whole(document, given)
    const key = keyOf(table, row)
    const known = before.get(keyId(key))
    before.delete(keyId(key))
    if (!known) {
      edits.push({ kind: 'add', set: row })
      continue
    }
    const set = Object.fromEntries(
      Object.entries(row).filter(([name, cell]) => !sameCell(cell, known.row[name] ?? null)),
    )
    if (Object.keys(set).length > 0) edits.push({ kind: 'change', key, version: known.version, set })
  }
  if (remove)
    for (const { row, version } of before.values())
      edits.push({ kind: 'remove', key: keyOf(table, row), version })
  return edits
}

/** `5` and `"5"` are the same cell: which of them it is, the column says. */
const sameCell = (a: Value, b: Value): boolean =>
  a === null || b === null ? a === b : String(a) === String(b)
