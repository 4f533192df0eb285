import iconv from 'iconv-lite'
import { formatText, type FileFormat } from '../../../core/catalog/found'
import { fail } from '../../../core/fault'
import { findDialect } from '../../../core/files/dialect'
import { formats } from '../../../core/files/formats'
import { joined } from '../../../core/files/header'
import { folderValues } from '../../../core/files/grouping'
import { behindLines, endsOf, quickRecords } from '../../../core/files/layout'
import { distinctNames, unnamed } from '../../../core/files/names'
import { groupBy } from '../../../core/group'
import { quoteName } from '../../../core/text/slot'
import { literal } from '../../duck/duck'
import type { FileReading, Format, FormattedFile, Known, OpenedFiles } from '../definition'
import { inUtf8, ofFiles } from '../decode'
import { withFolders } from '../relation'
import { unionColumns } from '../unionColumns'
import { duckWriter } from '../duckWriter'
import { csvSql } from './reader'

const { own } = formats.csv.endings

export const csv: Format = {
  counts: 'records',
  // what is no document is lines with fields
  begins: (text, ending) => own.includes(ending) || !/^[[{]/.test(text),
  refuses: (sample, ending, whole) =>
    ending === 'txt' && !looksLikeTable(sample, whole) ? 'text, but no table' : undefined,
  head(known, reading) {
    if (reading.format === 'detect') {
      const found = dialectOf(known)
      if (!found) return undefined
      return found.format.header ? found : { ...found, names: reading.names ?? found.names }
    }
    const text = sampleText(known, reading)
    const record = headRecord(text, reading, known.whole)
    if (!record) return undefined
    const { names, said } = reading.header
      ? distinctNames(record)
      : { names: reading.names ?? unnamed(record.length), said: [] }
    return { format: formatOf(known, reading, text), names, said }
  },
  async open(_duck, files, _reading, folder) {
    return openCsv(files, await inUtf8(files, folder))
  },
  async relation(_duck, files, format, names, folder, reading = {}) {
    const { files: laid, copies } = await inUtf8(
      files.map((file) => ({ ...file, format })),
      folder,
    )
    return withFolders(files, {
      sql: ofFiles(
        csvSql(
          laid.map(({ full }) => full),
          laid[0]!.format,
          names,
          reading,
        ),
        copies,
      ),
      columns: names.map((name) => ({ name, type: 'VARCHAR' })),
    })
  },
  together: (known) => dialectOf(known) ?? 'it has no line with anything in it',
  async tables(duck, file, known, folder) {
    const found = dialectOf(known)
    if (!found) return 'it has no line with anything in it'
    const { format, names } = found
    // by its own name: the values of its folders are those of the whole dataset
    const alone = { full: file.full, path: file.path.split('/').at(-1)! }
    const relation = await csv.relation(duck, [alone], format, names, folder)
    return [{ relation, format, unnamed: format.header === false }]
  },
  async look(_duck, file, known, folder) {
    const found = dialectOf(known)
    const { path } = file
    if (!found) fail('file', `${path}: it has no line with anything in it`, { path })
    const { files: [laid], copies } = await inUtf8([{ ...file, format: found.format }], folder) // prettier-ignore
    return {
      sql: ofFiles(csvSql([laid!.full], laid!.format, found.names, { rejects: true }), copies),
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
  end,
}: Known): { format: FileFormat; names: readonly string[]; said: readonly string[] } | undefined {
  const dialect = findDialect(sample, { whole, end })
  if (!dialect) return undefined
  const format = {
    ...dialect.format,
    ...(gzip ? { gzip: true } : {}),
    ...(encoding === 'utf-8' ? {} : { encoding }),
  }
  return { ...dialect, format }
}

/** How the job says that a file is read. */
function formatOf({ gzip, whole }: Known, reading: FileReading, text: string): FileFormat {
  // how lines end is no matter of taste: what plain readers do not take is read all the same
  const ends = reading.ends ?? endsOf(text, reading, whole)
  return {
    kind: 'csv',
    ...(reading.widths ? { widths: reading.widths } : { delimiter: reading.delimiter }),
    header: reading.header,
    ...(gzip ? { gzip: true } : {}),
    ...(reading.quote ? { quote: reading.quote } : {}),
    ...(reading.escape ? { escape: reading.escape } : {}),
    ...(reading.heads ? { heads: reading.heads } : {}),
    ...(reading.under ? { under: reading.under } : {}),
    ...(reading.tail ? { tail: reading.tail } : {}),
    ...(reading.skip ? { skip: reading.skip } : {}),
    ...(reading.comment ? { comment: reading.comment } : {}),
    ...(reading.decimal === ',' ? { decimal: ',' as const } : {}),
    ...(reading.encoding === 'utf-8' ? {} : { encoding: reading.encoding }),
    ...(ends ? { ends } : {}),
  }
}

/** The sample in the encoding that the job says, which may be another than the one guessed. */
/** Do the lines of a text have fields, and mostly as many? Prose has commas, too. */
function looksLikeTable(sample: string, whole: boolean): boolean {
  const dialect = findDialect(sample, { whole })
  return dialect !== undefined && dialect.names.length > 1 && dialect.records > 1 && dialect.even >= 0.5
}

function sampleText(known: Known, reading: FileReading): string {
  const single = known.encoding === 'latin-1' || known.encoding === 'windows-1252'
  if (!single || reading.encoding === known.encoding) return known.sample
  const bytes = iconv.encode(known.sample, 'windows-1252')
  return reading.encoding === 'utf-8' ? bytes.toString('utf8') : iconv.decode(bytes, reading.encoding)
}

/** The names of the header, or the first row where there is none. */
function headRecord(text: string, reading: FileReading, whole: boolean): readonly string[] | undefined {
  const { skip = 0, comment, heads = 1 } = reading
  let rest = text.slice(behindLines(text, skip)).replace(/^\uFEFF/, '')
  if (comment !== undefined)
    rest = rest
      .split('\n')
      .filter((line) => !line.startsWith(comment))
      .join('\n')
  const records = quickRecords(rest, reading, { whole, limit: heads })
  // of a text whose first record is longer than what was looked at, its beginning
  const [first, ...more] =
    records.length > 0 ? records : quickRecords(rest, reading, { whole: true, limit: 1 })
  return more.reduce<readonly string[] | undefined>(
    (upper, { fields }) => upper && joined(upper, fields),
    first?.fields,
  )
}

/** CSV files, those of one dialect and the same columns by a reader of their own; columns go by their names. */
export function openCsv(
  files: readonly FormattedFile[],
  { files: laid, copies }: Awaited<ReturnType<typeof inUtf8<FormattedFile>>>,
): OpenedFiles {
  const { names, said } = unionColumns(files)
  const folders = [
    ...new Set(files.flatMap(({ path }) => folderValues(path).values.map(({ name }) => name))),
  ].filter((name) => !names.includes(name))
  const groups = [...groupBy(laid, ({ format, names: own }) => JSON.stringify([format, own])).values()]
  const originals = new Map(files.map((file, i) => [laid[i]!.full, file] as const))
  const decimals = new Set(files.map(({ format }) => format.decimal))
  const byFile = decimals.size > 1
  const sql = (): string => {
    const readers = groups.map((group) => {
      const { format, names: own } = group[0]!
      const reader = csvSql(
        group.map(({ full }) => full),
        format,
        own,
        { rejects: true },
      )
      return byFile
        ? `(select *, ${literal(format.decimal ?? '.')} as mattock_decimal from ${reader})`
        : reader
    })
    const all =
      readers.length === 1
        ? readers[0]!
        : `(${readers.map((reader) => `select * from ${reader}`).join(' union all by name ')})`
    if (folders.length === 0) return ofFiles(all, copies)
    const rows = laid.map(({ full, path }) => {
      const { values } = folderValues(path)
      const cells = folders.map((name) => {
        const value = values.find((entry) => entry.name === name)?.value
        return value == null ? 'null' : literal(value)
      })
      return `(${[literal(full), ...cells].join(', ')})`
    })
    const list = folders.map(quoteName).join(', ')
    const joined = `(select f.*, ${folders.map((name) => `v.${quoteName(name)}`).join(', ')} from ${all} f join (values ${rows.join(', ')}) v(mattock_file, ${list}) using (mattock_file))`
    return ofFiles(joined, copies)
  }
  return {
    columns: [...names, ...folders].map((name) => ({ name, type: 'VARCHAR' })),
    sql,
    said,
    ofText: true,
    texts: new Map(
      groups.flat().map(({ full }) => {
        const own = originals.get(full)!
        const fixed = Object.fromEntries(
          folderValues(own.path).values.map(({ name, value }) => [name, value]),
        )
        return [own.full, { format: own.format, names: own.names, fixed }]
      }),
    ),
    copies,
    ...(byFile ? { decimal: 'by file' as const } : decimals.has(',') ? { decimal: ',' as const } : {}),
    rows: new Map(),
  }
}
