import { readdir, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { mkdtemp, rm } from 'node:fs/promises'
import { fail } from '../../core/fault'
import { quoteName } from '../../core/text/slot'
import { findDialect } from '../../core/files/dialect'
import { formatText, type FileFormat } from '../../core/catalog/found'
import { openConnection } from '../connectors/connections'
import { insideStore, type FileStore } from '../connectors/files/store'
import { qualified } from '../connectors/postgres/tables'
import { layServiceDown } from '../connectors/service/layDown'
import { targetPool, type Engine } from '../context/engine'
import { detectFile } from '../formats/detect'
import { checkGzip } from '../formats/gzip'
import { documentTables, findRecords } from '../formats/json/documents'
import { csvSql } from '../formats/relation'
import { layDownSheets } from '../formats/xlsx/sheets'
import { reasonOf } from '../survey/shapes'
import { literal, withDuck } from '../duck/duck'

export interface Entry {
  readonly kind: 'folder' | 'file' | 'schema' | 'table' | 'view' | 'endpoint'
  readonly name: string
  /** What to ask for to go there, or to see its first rows. */
  readonly path: string
  readonly size: number | null
  readonly modified: string | null
  readonly rows: number | null
}

/** What lies at a place of a connection: folders and files, schemas and tables, the addresses of a service. */
export async function browse(
  engine: Engine,
  name: string,
  environment: string,
  path: string,
): Promise<Entry[]> {
  const opened = await openConnection(engine, name, environment)
  switch (opened.kind) {
    case 'files':
      return await folderEntries(opened.store, path)
    case 'service':
      return opened.service.settings.endpoints
        .split('\n')
        .map((line) => line.trim())
        .filter((line) => line !== '')
        .map((line) => ({ kind: 'endpoint', name: line, path: line, size: null, modified: null, rows: null }))
    case 'postgres': {
      const pool = targetPool(opened.config)
      const { rows } = await pool.query<Entry>(
        path === ''
          ? `select 'schema' as kind, n.nspname as name, n.nspname as path, null as size, null as modified,
               (select count(*)::float8 from pg_class c where c.relnamespace = n.oid and c.relkind in ('r', 'p', 'v', 'm', 'f')) as rows
             from pg_namespace n where n.nspname !~ '^(pg_|information_schema$)' and has_schema_privilege(n.oid, 'usage') order by 1, 2`
          : {
              text: `select case when c.relkind in ('v', 'm') then 'view' else 'table' end as kind, c.relname as name, n.nspname || '.' || c.relname as path,
                       case when c.relkind in ('r', 'm', 'p') then pg_total_relation_size(c.oid)::float8 end as size, null as modified,
                       case when c.reltuples >= 0 and c.relkind in ('r', 'm', 'p') then c.reltuples::float8 end as rows
                     from pg_class c join pg_namespace n on n.oid = c.relnamespace
                     where n.nspname = $1 and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition order by 2`,
              values: [path],
            },
      )
      return rows
    }
  }
}

async function folderEntries(store: FileStore, path: string): Promise<Entry[]> {
  const full = await insideStore(store, path)
  const found = await readdir(full, { withFileTypes: true })
  const entries = await Promise.all(
    found
      .filter(({ name }) => !name.startsWith('.'))
      .map(async (entry): Promise<Entry | undefined> => {
        const at = path === '' ? entry.name : `${path}/${entry.name}`
        const target = entry.isSymbolicLink()
          ? await insideStore(store, at).catch(() => undefined)
          : join(full, entry.name)
        if (target === undefined) return undefined
        const facts = await stat(target).catch(() => undefined)
        if (!facts || !(facts.isDirectory() || facts.isFile())) return undefined
        const folder = facts.isDirectory()
        return {
          kind: folder ? 'folder' : 'file', name: entry.name, path: at, rows: null,
          size: folder ? null : facts.size, modified: facts.mtime.toISOString(),
        } // prettier-ignore
      }),
  )
  return entries
    .filter((entry) => entry !== undefined)
    .sort((a, b) => (a.kind === b.kind ? (a.name < b.name ? -1 : 1) : a.kind === 'folder' ? -1 : 1))
}

export interface FirstRows {
  readonly columns: readonly { readonly name: string; readonly type: string }[]
  readonly rows: readonly (readonly (string | null)[])[]
  /** How it was read, in words. */
  readonly note: string
}

/** The first rows of anything that can be browsed, before anything is set up. */
export async function firstRows(
  engine: Engine,
  name: string,
  environment: string,
  path: string,
  limit = 50,
): Promise<FirstRows> {
  const opened = await openConnection(engine, name, environment)
  if (opened.kind === 'postgres') {
    const dot = path.indexOf('.')
    const table = { schema: path.slice(0, dot), name: path.slice(dot + 1) }
    const result = await targetPool(opened.config).query<(string | null)[]>({
      text: `select * from ${qualified(table)} limit ${limit}`,
      rowMode: 'array',
      types: { getTypeParser: () => (text: string) => text },
    })
    const { rows: types } = await targetPool(opened.config).query<{ name: string }>(
      'select format_type(unnest($1::oid[]), -1) as name',
      [result.fields.map(({ dataTypeID }) => dataTypeID)],
    )
    return {
      columns: result.fields.map(({ name: of }, i) => ({ name: of, type: types[i]!.name })),
      rows: result.rows,
      note: 'in the order the database gives them',
    }
  }
  const folder = await mkdtemp(join(tmpdir(), 'mattock-browse-'))
  try {
    return await withDuck('UTC', true, async (duck) => {
      const read = async (sql: string, note: string): Promise<FirstRows> => {
        const described = await duck.runAndReadAll(`describe select * exclude (mattock_file) from ${sql}`)
        const columns = (described.getRows() as [string, string][]).map(([of, type]) => ({
          name: of,
          type: type.toLowerCase(),
        }))
        const list = columns.map(({ name: of }) => `cast(${quoteName(of)} as varchar)`).join(', ')
        const reader = await duck.runAndReadAll(`select ${list} from ${sql} limit ${limit}`)
        return { columns, rows: reader.getRows() as (string | null)[][], note }
      }
      if (opened.kind === 'service') {
        const file = join(folder, 'page.ndjson')
        const { records } = await layServiceDown(opened.service, path, file, { limit })
        if (records === 0) return { columns: [], rows: [], note: 'the answer has no records' }
        const [table] = await documentTables(duck, [file], { kind: 'ndjson' })
        return await read(`(${table!.sql})`, 'lists within become datasets of their own')
      }
      const full = await insideStore(opened.store, path)
      const detected = await detectFile(full, path)
      if ('reason' in detected) fail('file', `${path}: ${detected.reason}`, { path })
      if (detected.gzip) await checkGzip(full, path)
      const packed = detected.gzip ? { gzip: true } : {}
      switch (detected.kind) {
        case 'csv': {
          const dialect = findDialect(detected.sample, detected.whole)
          if (!dialect) fail('file', `${path}: it has no line with anything in it`, { path })
          const format: FileFormat = { ...dialect.format, ...packed, encoding: detected.encoding }
          return await read(csvSql([full], format, dialect.names, { rejects: true }), formatText(format))
        }
        case 'parquet':
          return await read(
            `read_parquet(${literal(full)}, filename = 'mattock_file', hive_partitioning = false)`,
            'Parquet',
          )
        case 'xlsx': {
          const { sheets, without } = await layDownSheets(full, path, folder)
          const [sheet] = sheets
          if (!sheet) fail('file', `${path}: no sheet holds a table`, { path })
          const others = [
            ...sheets.slice(1).map(({ name: of }) => of),
            ...without.map(({ name: of, reason }) => `${of} (${reason})`),
          ]
          const rest = others.length > 0 ? `; other sheets: ${others.join(', ')}` : ''
          return await read(
            csvSql([sheet.csv], { kind: 'csv' }, sheet.place.names),
            `XLSX, sheet ${sheet.name}, ${sheet.rows.toLocaleString('en')} rows${rest}`,
          )
        }
        default: {
          const format = await findRecords(duck, [full], { kind: detected.kind, ...packed })
          const tables = await documentTables(duck, [full], format)
          const lists = tables.slice(1).map(({ inner }) => inner)
          return await read(
            `(${tables[0]!.sql})`,
            `${formatText(format)}${lists.length > 0 ? `; lists within: ${lists.join(', ')}` : ''}`,
          )
        }
      }
    })
  } catch (error) {
    if ((error as { fault?: unknown }).fault) throw error
    fail('file', `${path}: ${reasonOf(error)}`, { path })
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
