import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { MendedRow, ReadAs } from '../../database/schema'
import { literal } from '../duck/duck'
import type { OpenSource } from './source'

/** A field of a CSV by RFC 4180; nothing stands without quotes. */
const field = (value: string | null): string => (value === null ? '' : `"${value.replaceAll('"', '""')}"`)

/** Opens rows that a person mended: texts, which are read in the same way as the rows that they were. */
export async function openMended(
  { readAs, rows }: { readonly readAs: ReadAs; readonly rows: readonly MendedRow[] },
  folder: string,
): Promise<OpenSource> {
  const { columns, decimal, reading, readings, types, renames, texts } = readAs
  const path = join(folder, 'mended.csv')
  const lines = rows.map(({ file, values }) =>
    [...values, texts?.[file]?.format.decimal ?? '.', file].map(field).join(','),
  )
  await writeFile(path, lines.map((line) => `${line}\n`).join(''))
  const names = [...columns, 'mattock_decimal', 'mattock_file'].map((name) => `${literal(name)}: 'VARCHAR'`)
  const map = <T>(object: Readonly<Record<string, T>> | undefined) =>
    object && new Map(Object.entries(object))
  return {
    empty: false,
    label: 'the mended rows',
    columns: columns.map((name) => ({ name, type: 'VARCHAR' })),
    // a file, since the rows that do not fit are looked for by another connection
    sql: () =>
      `read_csv(${literal(path)}, auto_detect = false, header = false, delim = ',', quote = '"', escape = '"', allow_quoted_nulls = false, max_line_size = 34000000, buffer_size = 35000000, columns = {${names.join(', ')}})`,
    ofText: false,
    decimal,
    ...(reading ? { reading } : {}),
    ...(readings ? { readings: map(readings)! } : {}),
    ...(types ? { types: map(types)! } : {}),
    ...(renames ? { renames: map(renames)! } : {}),
    counted: Promise.resolve({ files: [], rows: rows.length, bytes: 0 }),
  }
}
