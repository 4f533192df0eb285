import { z } from 'zod'
import { strptimeOf } from '../files/datePattern'
import type { ValueType } from '../value'
import type { CatalogColumn, ColumnEdit, ColumnEdits } from './edits'

/** Types of Table Schema for ours; `timestamp` is its `datetime`. Frictionless Table Schema, "Field descriptors". */
const outward: Record<ValueType, string> = {
  text: 'string',
  integer: 'integer',
  decimal: 'number',
  number: 'number',
  boolean: 'boolean',
  date: 'date',
  time: 'time',
  timestamp: 'datetime',
}
const inward: Record<string, ValueType> = {
  ...Object.fromEntries(Object.entries(outward).map(([ours, theirs]) => [theirs, ours as ValueType])),
  year: 'integer',
}

const fieldSchema = z.looseObject({
  name: z.string(),
  type: z.string().optional(),
  description: z.string().optional(),
  constraints: z.looseObject({ required: z.boolean().optional() }).optional(),
})
export const tableSchemaSchema = z.looseObject({
  fields: z.array(fieldSchema).min(1),
  primaryKey: z.union([z.string(), z.array(z.string())]).optional(),
})
export type TableSchema = z.output<typeof tableSchemaSchema>

/** How values are written, as Table Schema says it (v1, 5.1: number, boolean, date with Python's strptime). */
function writtenAs({ type, reading }: CatalogColumn) {
  if (!reading) return {}
  const pattern = reading.dates?.[0]
  return {
    ...(reading.decimal ? { decimalChar: reading.decimal } : {}),
    ...(reading.thousands ? { groupChar: reading.thousands } : {}),
    ...(reading.marks && reading.marks.length > 0 ? { bareNumber: false } : {}),
    ...(type === 'boolean' && reading.yes ? { trueValues: reading.yes, falseValues: reading.no ?? [] } : {}),
    ...(pattern ? { format: strptimeOf(pattern) } : {}),
  }
}

/** A dataset's schema as Table Schema (Frictionless), valid by its published profile. */
export function toTableSchema(columns: readonly CatalogColumn[], key: readonly string[]): TableSchema {
  return {
    fields: columns.map((column) => ({
      name: column.name,
      type: outward[column.type],
      ...writtenAs(column),
      ...(column.description || column.comment ? { description: column.description ?? column.comment } : {}),
      ...(column.required ? { constraints: { required: true } } : {}),
    })),
    ...(key.length > 0 ? { primaryKey: [...key] } : {}),
  }
}

/**
 * What a Table Schema says of known columns, as edits by hand: columns are matched by name, else, where a column is
 * unnamed, by place. Says what of it could not be used.
 */
export function fromTableSchema(
  schema: TableSchema,
  columns: readonly CatalogColumn[],
): { edits: ColumnEdits; key: string[]; left: string[] } {
  const edits: Record<string, ColumnEdit> = {}
  const left: string[] = []
  schema.fields.forEach((field, i) => {
    const byName = columns.find((column) => column.name === field.name || column.source === field.name)
    const byPlace = columns[i]?.unnamed ? columns[i] : undefined
    const column = byName ?? byPlace
    if (!column) {
      left.push(`${field.name}: the dataset has no such column`)
      return
    }
    const type = field.type === undefined ? undefined : inward[field.type]
    if (field.type !== undefined && type === undefined)
      left.push(`${field.name}: type "${field.type}" has no like here, the type stays ${column.type}`)
    edits[column.source] = {
      ...(field.name === column.source ? {} : { name: field.name }),
      ...(type === undefined || type === column.type ? {} : { type }),
      ...(field.description === undefined ? {} : { description: field.description }),
    }
  })
  const key = schema.primaryKey === undefined ? [] : [schema.primaryKey].flat()
  const unknown = key.filter((name) => !schema.fields.some((field) => field.name === name))
  if (unknown.length > 0) left.push(`the key names ${unknown.join(', ')}, which no field is called`)
  return { edits, key: unknown.length > 0 ? [] : key, left }
}
