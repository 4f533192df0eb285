import { readFile } from 'node:fs/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { FileFormat } from '../../../core/catalog/found'
import { literal } from '../../duck/duck'
import { documentTables, objectSize } from './documents'
import { rowsInShape } from './shapes'

/** Records of a JSON file by the lengths of its lists: no counting of lines can tell them. */
export async function countJson(duck: DuckDBConnection, full: string, format: FileFormat): Promise<number> {
  if (format.shape) return await rowsInShape(full, format)
  const sql = await lengthSql(duck, full, format)
  if (sql === undefined) return topLevelEntries(await readFile(full))
  return Number((await duck.runAndReadAll(sql)).getRows()[0]![0] ?? 0)
}

/**
 * Rows that the lists within the lines of a file give, by their lengths; a line that is no document is one, since it is
 * told as such.
 */
export async function countEntries(
  duck: DuckDBConnection,
  full: string,
  format: FileFormat,
  list: string,
): Promise<number> {
  const length = `json_array_length(json, ${literal(list)})`
  const lengths = list.includes('[*]') ? `list_sum(${length})` : length
  const packed = format.gzip ? ", compression = 'gzip'" : ''
  const reader = await duck.runAndReadAll(
    `select sum(case when json is null or json_type(json) <> 'OBJECT' then 1 else coalesce(${lengths}, 0) end)
     from read_ndjson_objects(${literal(full)}, ignore_errors = true, maximum_object_size = ${objectSize([full], format)}${packed})`,
  )
  return Number(reader.getRows()[0]![0] ?? 0)
}

async function lengthSql(
  duck: DuckDBConnection,
  full: string,
  format: FileFormat,
): Promise<string | undefined> {
  if (format.inner) {
    const tables = await documentTables(duck, { paths: [full], format: { ...format, inner: '' } })
    const table = tables.find(({ inner }) => inner === format.inner)
    return table ? `select count(*) from (${table.sql})` : 'select 0'
  }
  if (!format.records)
    return format.gzip
      ? `select count(*) from read_json_objects(${literal(full)}, format = 'array', compression = 'gzip', maximum_object_size = ${objectSize([full], format)})`
      : undefined
  const path = `$.${format.records}`
  return `select sum(json_array_length(json, ${literal(path)})) from read_json_objects(${literal(full)}, format = 'unstructured', maximum_object_size = ${objectSize([full], format)}${format.gzip ? ", compression = 'gzip'" : ''})`
}

/** Entries of the one list that a JSON text is (RFC 8259), counted without reading what they are. */
export function topLevelEntries(text: Buffer): number {
  let depth = 0
  let quoted = false
  let entries = 0
  let filled = false
  for (let i = 0; i < text.length; i++) {
    const byte = text[i]!
    if (quoted) {
      if (byte === 0x5c) i++
      else if (byte === 0x22) quoted = false
      continue
    }
    if (byte === 0x22) quoted = true
    if (byte === 0x5b || byte === 0x7b) {
      if (depth === 1) filled = true
      depth++
    } else if (byte === 0x5d || byte === 0x7d) {
      depth--
      if (depth === 0 && filled) entries++
    } else if (depth === 1) {
      if (byte === 0x2c) {
        entries++
        filled = false
      } else if (byte > 0x20) filled = true
    }
  }
  return entries
}
