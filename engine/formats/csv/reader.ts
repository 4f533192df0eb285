import type { FileFormat } from '../../../core/catalog/found'
import { literal, literalList } from '../../duck/duck'
import type { CsvReading } from '../relation'

/** The call of DuckDB's CSV reader for files of one dialect and the same columns. */
export function csvSql(
  paths: readonly string[],
  format: FileFormat,
  names: readonly string[],
  { rejects = false }: CsvReading = {},
): string {
  const quote = format.quote ?? '"'
  const options = [
    'auto_detect = false',
    `header = ${format.header ?? true}`,
    `delim = ${literal(format.delimiter ?? ',')}`,
    `quote = ${literal(quote)}`,
    `escape = ${literal(quote)}`,
    'allow_quoted_nulls = false',
    `filename = 'mattock_file'`,
    ...(format.ends === 'lf' || format.ends === 'crlf'
      ? [`new_line = '${format.ends === 'lf' ? '\\n' : '\\r\\n'}'`]
      : []),
    ...(format.skip ? [`skip = ${format.skip}`] : []),
    ...(format.comment ? [`comment = ${literal(format.comment)}`] : []),
    ...(format.gzip ? ["compression = 'gzip'"] : []),
    ...(rejects ? ['store_rejects = true', 'rejects_limit = 0'] : []),
    `columns = {${names.map((name) => `${literal(name)}: 'VARCHAR'`).join(', ')}}`,
  ]
  return `read_csv(${literalList(paths)}, ${options.join(', ')})`
}
