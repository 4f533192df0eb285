import { formatText, type FileFormat } from '../../../core/catalog/found'
import type { FileKind } from '../../../core/files/formats'
import { fail } from '../../../core/fault'
import type { Format } from '../definition'
import { withFolders } from '../relation'
import { openTyped } from '../typed'
import { countJson } from './count'
import { documentTables, exactDocuments, findRecords } from './documents'

/** JSON as one document, or as a document a line. */
export const jsonFormat = (
  kind: Extract<FileKind, 'json' | 'ndjson'>,
  { byLine }: { readonly byLine: boolean },
): Format => ({
  marked: false,
  head: ({ gzip }) => ({ format: { kind, ...(gzip ? { gzip: true } : {}) }, names: [] }),
  async open(duck, files, reading, folder) {
    const { format } = files[0]!
    const given = { ...format, ...(reading.records ? { records: reading.records } : {}) }
    const whole = reading.records ? given : await findRecords(duck, [files[0]!.full], given)
    const read: FileFormat = { ...whole, ...(reading.inner ? { inner: reading.inner } : {}) }
    const rows = new Map<string, number>()
    // lines are counted beside the reading; the entries of a list within them are not lines
    if (!byLine || read.inner) for (const { full } of files) rows.set(full, await countJson(duck, full, read))
    const opened = { ...openTyped(await relation(duck, files, read, [], folder), rows), decimalNumbers: true }
    return byLine && !read.inner
      ? {
          ...opened,
          broken: 'mattock_broken',
          texts: new Map(files.map(({ full, format }) => [full, format])),
        }
      : opened
  },
  relation,
  async tables(duck, { full }, { gzip }) {
    const format = await findRecords(duck, [full], { kind, ...(gzip ? { gzip: true } : {}) })
    const tables = await documentTables(duck, { paths: [full], format })
    if (tables[0]!.columns.length === 0) return 'JSON without records'
    return tables.map(({ sql, columns, inner }) => ({
      relation: { sql: `(${sql})`, columns },
      format: inner === '' ? format : { ...format, inner },
      unnamed: false,
    }))
  },
  async look(duck, { full }, { gzip }) {
    const format = await findRecords(duck, [full], { kind, ...(gzip ? { gzip: true } : {}) })
    const [first, ...others] = await documentTables(duck, { paths: [full], format })
    const lists = others.map(({ inner }) => inner)
    const within = lists.length > 0 ? `; lists within: ${lists.join(', ')}` : ''
    return { sql: `(${first!.sql})`, note: `${formatText(format)}${within}` }
  },
})

const relation: Format['relation'] = async (duck, files, format, _names, folder) => {
  const paths = files.map(({ full }) => full)
  const tables = await documentTables(duck, await exactDocuments(paths, format, folder))
  const table = tables.find(({ inner }) => inner === (format.inner ?? ''))
  if (!table) fail('file', `${files[0]!.path} has no list ${format.inner}`)
  return withFolders(files, { sql: `(${table.sql})`, columns: table.columns })
}
