import { formatText, type FileFormat } from '../../../core/catalog/found'
import { fail } from '../../../core/fault'
import { csvRecords } from '../../../core/files/csvRecords'
import { findDialect } from '../../../core/files/dialect'
import { folderValues } from '../../../core/files/grouping'
import { unnamed } from '../../../core/files/header'
import { groupBy } from '../../../core/group'
import { quoteName } from '../../../core/text/slot'
import { literal } from '../../duck/duck'
import type { FileReading, Format, FormattedFile, Known, OpenedFiles } from '../definition'
import { withFolders } from '../relation'
import { sameColumns } from '../sameColumns'
import { duckWriter } from '../duckWriter'
import { csvSql } from './reader'

export const csv: Format = {
  counts: 'records',
  marked: false,
  head(known, reading) {
    if (reading.format === 'detect') {
      const found = dialectOf(known)
      if (!found) return undefined
      return found.format.header ? found : { ...found, names: reading.names ?? found.names }
    }
    const record = firstRecord(sampleText(known, reading), reading)
    if (!record) return undefined
    return {
      format: formatOf(known, reading),
      names: reading.header ? record : (reading.names ?? unnamed(record.length)),
    }
  },
  async open(_duck, files) {
    sameColumns(files)
    return openCsv(files)
  },
  relation: async (_duck, files, format, names, _folder, reading = {}) =>
    withFolders(files, {
      sql: csvSql(
        files.map(({ full }) => full),
        format,
        names,
        reading,
      ),
      columns: names.map((name) => ({ name, type: 'VARCHAR' })),
    }),
  together: (known) => dialectOf(known) ?? 'it has no line with anything in it',
  async tables(_duck, { full }, known) {
    const found = dialectOf(known)
    if (!found) return 'it has no line with anything in it'
    const { format, names } = found
    const columns = names.map((name) => ({ name, type: 'VARCHAR' }))
    return [
      { relation: { sql: csvSql([full], format, names), columns }, format, unnamed: format.header === false },
    ]
  },
  async look(_duck, { full, path }, known) {
    const found = dialectOf(known)
    if (!found) fail('file', `${path}: it has no line with anything in it`, { path })
    return {
      sql: csvSql([full], found.format, found.names, { rejects: true }),
      note: formatText(found.format),
    }
  },
  writer: duckWriter({
    options: ({ delimiter }) => ['format csv', 'header true', `delimiter ${literal(delimiter)}`],
    extension: 'csv',
    packs: false,
    readBack: (glob) => `read_csv(${glob}, all_varchar = true)`,
  }),
}

/** The dialect that a file's beginning shows; undefined where no line has anything in it. */
function dialectOf({
  sample,
  whole,
  encoding,
  gzip,
}: Known): { format: FileFormat; names: readonly string[] } | undefined {
  const dialect = findDialect(sample, whole)
  if (!dialect) return undefined
  const format = {
    ...dialect.format,
    ...(gzip ? { gzip: true } : {}),
    ...(encoding === 'utf-8' ? {} : { encoding }),
  }
  return { format, names: dialect.names }
}

/** How the job says that a file is read. */
const formatOf = ({ gzip }: Known, reading: FileReading): FileFormat => ({
  kind: 'csv',
  delimiter: reading.delimiter,
  header: reading.header,
  ...(gzip ? { gzip: true } : {}),
  ...(reading.quote ? { quote: reading.quote } : {}),
  ...(reading.skip ? { skip: reading.skip } : {}),
  ...(reading.comment ? { comment: reading.comment } : {}),
  ...(reading.decimal === ',' ? { decimal: ',' as const } : {}),
  ...(reading.encoding === 'utf-8' ? {} : { encoding: reading.encoding }),
})

/** The sample in the encoding that the job says, which may be another than the one guessed. */
function sampleText(known: Known, reading: FileReading): string {
  if (known.encoding === 'latin-1' && reading.encoding === 'utf-8')
    return Buffer.from(known.sample, 'latin1').toString('utf8')
  return known.sample
}

function firstRecord(
  text: string,
  { delimiter, quote = '"', skip = 0, comment }: FileReading,
): string[] | undefined {
  let rest = text.replace(/^\uFEFF/, '')
  for (let i = 0; i < skip; i++) rest = rest.slice(rest.indexOf('\n') + 1 || rest.length + 1)
  if (comment !== undefined)
    rest = rest
      .split('\n')
      .filter((line) => !line.startsWith(comment))
      .join('\n')
  return csvRecords(rest, { delimiter, quote, limit: 1 })[0]
}

/** CSV files of the same columns, each dialect by a reader of its own. */
export function openCsv(files: readonly FormattedFile[]): OpenedFiles {
  const names = files[0]!.names
  const folders = [
    ...new Set(files.flatMap(({ path }) => folderValues(path).values.map(({ name }) => name))),
  ].filter((name) => !names.includes(name))
  const groups = [...groupBy(files, ({ format }) => JSON.stringify(format)).values()]
  const decimals = new Set(files.map(({ format }) => format.decimal))
  const byFile = decimals.size > 1
  const sql = (): string => {
    const readers = groups.map((group) => {
      const { format } = group[0]!
      const reader = csvSql(
        group.map(({ full }) => full),
        format,
        names,
        { rejects: true },
      )
      return byFile
        ? `(select *, ${literal(format.decimal ?? '.')} as mattock_decimal from ${reader})`
        : reader
    })
    const all =
      readers.length === 1
        ? readers[0]!
        : `(${readers.map((reader) => `select * from ${reader}`).join(' union all ')})`
    if (folders.length === 0) return all
    const rows = files.map(({ full, path }) => {
      const { values } = folderValues(path)
      const cells = folders.map((name) => {
        const value = values.find((entry) => entry.name === name)?.value
        return value == null ? 'null' : literal(value)
      })
      return `(${[literal(full), ...cells].join(', ')})`
    })
    const list = folders.map(quoteName).join(', ')
    return `(select f.*, ${folders.map((name) => `v.${quoteName(name)}`).join(', ')} from ${all} f join (values ${rows.join(', ')}) v(mattock_file, ${list}) using (mattock_file))`
  }
  return {
    columns: [...names, ...folders].map((name) => ({ name, type: 'VARCHAR' })),
    sql,
    ofText: true,
    texts: new Map(groups.flat().map(({ full, format }) => [full, format])),
    ...(byFile ? { decimal: 'by file' as const } : decimals.has(',') ? { decimal: ',' as const } : {}),
    rows: new Map(),
  }
}
