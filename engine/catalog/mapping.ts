import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName, type Resolved } from '../../core/text/slot'
import { fail } from '../../core/fault'
import { intoTable, type Transfer } from '../../core/job/transfer'
import { misfits } from '../../core/catalog/fits'
import { suggestMapping, type Mapping } from '../../core/catalog/mapping'
import { valueTypeOf } from '../../core/catalog/types'
import type { ValueType } from '../../core/value'
import { openPostgres, openService, openStore } from '../connectors/connections'
import { tableColumns } from '../connectors/postgres/tables'
import { layServiceDown } from '../connectors/service/layDown'
import type { Engine } from '../context/engine'
import { documentTables } from '../formats/json/documents'
import { resolveOne, type ResolveAsk } from '../planning/resolve'
import { openDatabaseSource } from '../reading/database'
import { withDuck } from '../duck/duck'
import { openFiles } from '../reading/files'
import { databaseSource, tableOf } from '../steps/transfer'
import { emptyOutcome } from '../context/work'

export interface MappingColumn {
  readonly target: string
  /** The target's own type; null for a target that is not there yet. */
  readonly type: string | null
  readonly source: string | null
  readonly likeness: number | null
  readonly why: Mapping['columns'][number]['why']
  readonly samples: readonly (string | null)[]
  /** Values of the sample that cannot be cast, and the first. */
  readonly fails: number
  readonly failing: string | null
}

export interface MappingSheet {
  readonly columns: readonly MappingColumn[]
  readonly sources: readonly {
    readonly name: string
    readonly type: string | null
    readonly sample: string | null
  }[]
  readonly unused: readonly string[]
  /** The first rows of the source, in the order of `sources`. */
  readonly rows: readonly (readonly (string | null)[])[]
  /** Rows that were looked at. */
  readonly looked: number
  /** The target is there; else it is made from the source. */
  readonly exists: boolean
  readonly unknownColumns: string
  readonly missingColumns: string
  readonly from: string
  readonly into: string
}

const looked = 200
const shown = 30

interface Sampled {
  readonly columns: readonly { readonly name: string; readonly type: string | null }[]
  readonly rows: readonly (readonly (string | null)[])[]
}

/**
 * How the columns of a transfer's source meet those of its target, for one row and slice: what the job says, what has
 * the same name, what is likest; with values of the source's first rows, and those that would not fit.
 * @throws FaultError where a text cannot be resolved, or the source is not there
 */
export async function mappingSheet(
  engine: Engine,
  ask: ResolveAsk & { readonly step: string },
): Promise<MappingSheet> {
  const { plan } = await resolveOne(engine, ask)
  const part = plan.request.job.parts[ask.part]!
  const spec = [...(part.once ?? []), ...(part.do ?? [])].find(({ id }) => id === ask.step)?.transfer
  const [load] = plan.loads
  if (!spec || !load) fail('unknown-name', `there is no transfer "${ask.step}" to look at for this row`)
  const steps = plan.parts[ask.part]!.steps
  const slots = steps.flatMap((step) => step.slots)
  const text = (path: string): Resolved => {
    const resolved = load.resolved[slots.findIndex((slot) => slot.step === ask.step && slot.path === path)]
    if (!resolved) fail('expression', `${path} could not be resolved; see the findings`)
    if (resolved.kind === 'later')
      fail('expression', `${path} uses what earlier steps do, so it is known only in a run`)
    return resolved
  }
  const sampled = await sampleSource(engine, spec, ask.environment, text)
  const target = await targetColumns(engine, spec, ask.environment, text)
  const names = sampled.columns.map(({ name }) => name)
  const mapping = suggestMapping(
    names,
    target?.map(({ name }) => name) ?? wantedNames(names, spec),
    spec.columns,
  )
  const valuesOf = (name: string) => sampled.rows.map((row) => row[names.indexOf(name)] ?? null)
  const typeOf = (name: string): { type: string | null; value: ValueType } => {
    const known = target?.find((column) => column.name === name)
    const given = spec.types?.[name]
    return known
      ? { type: known.type, value: valueTypeOf(known.type) }
      : { type: given ?? null, value: given ?? 'text' }
  }
  return {
    columns: mapping.columns.map((column) => {
      const values = column.source === null ? [] : valuesOf(column.source)
      const { type, value } = typeOf(column.target)
      const wrong = misfits(values, value, spec.from.decimal)
      return {
        ...column,
        type,
        samples: [...new Set(values.filter((sample) => sample !== null && sample !== ''))].slice(0, 3),
        fails: wrong.count,
        failing: wrong.first,
      }
    }),
    sources: sampled.columns.map(({ name, type }) => ({
      name,
      type,
      sample: valuesOf(name).find((value) => value) ?? null,
    })),
    unused: mapping.unused,
    rows: sampled.rows.slice(0, shown),
    looked: sampled.rows.length,
    exists: target !== undefined,
    unknownColumns: spec.into.unknown_columns,
    missingColumns: spec.into.missing_columns,
    from: spec.from.files
      ? text('transfer.from.files').text
      : spec.from.path
        ? text('transfer.from.path').text
        : spec.from.table
          ? text('transfer.from.table').text
          : 'the query',
    into: intoTable(spec) ? text('transfer.into.table').text : text('transfer.into.file').text,
  }
}

/** Names that a target made from the source would have: the job's, then the source's. */
function wantedNames(names: readonly string[], spec: Transfer): string[] {
  const given = Object.entries(spec.columns ?? {})
  const taken = new Set(given.map(([, source]) => source))
  return [...names.filter((name) => !taken.has(name)), ...given.map(([target]) => target)]
}

async function targetColumns(
  engine: Engine,
  spec: Transfer,
  environment: string,
  text: (path: string) => Resolved,
) {
  if (!intoTable(spec)) return undefined
  const pool = await openPostgres(engine, text('transfer.into.connection').text, environment)
  const client = await pool.connect()
  try {
    return await tableColumns(client, tableOf(text('transfer.into.table')))
  } finally {
    client.release()
  }
}

async function sampleSource(
  engine: Engine,
  spec: Transfer,
  environment: string,
  text: (path: string) => Resolved,
): Promise<Sampled> {
  const from = databaseSource(spec, text)
  if (from) {
    const name = text('transfer.from.connection').text
    const client = await (await openPostgres(engine, name, environment)).connect()
    try {
      const opened = await openDatabaseSource(client, from, name, emptyOutcome())
      const list = opened.columns.map(({ name: column }) => `${quoteName(column)}::text`).join(', ')
      const { rows } = await client.query<(string | null)[]>({
        text: `select ${list} from ${opened.from} limit ${looked}`,
        rowMode: 'array',
      })
      return { columns: opened.columns, rows }
    } finally {
      await client.query('rollback').catch(() => {})
      client.release()
    }
  }
  const folder = await mkdtemp(join(tmpdir(), 'mattock-map-'))
  try {
    return await withDuck('UTC', true, async (duck) => {
      if (spec.from.service !== undefined) {
        const service = await openService(engine, text('transfer.from.service').text, environment)
        const file = join(folder, 'page.ndjson')
        const asking = { limit: looked, records: spec.from.records }
        const laid = await layServiceDown(service, text('transfer.from.path').text, file, asking)
        if (laid.records === 0) return { columns: [], rows: [] }
        const tables = await documentTables(duck, [file], { kind: 'ndjson' })
        const table = tables.find(({ inner }) => inner === (spec.from.inner ?? ''))
        if (!table) fail('file', `the records have no list "${spec.from.inner}"`)
        return await firstOf(duck, `(${table.sql})`, table.columns)
      }
      const store = await openStore(engine, text('transfer.from.store').text, environment)
      const files = text('transfer.from.files')
      if (files.kind !== 'path') return fail('expression', 'a path was expected')
      const source = await openFiles(duck, spec, store, files, folder, emptyOutcome())
      source.counted.catch(() => {})
      if (source.empty) return { columns: [], rows: [] }
      return await firstOf(duck, source.sql({}), source.columns, source.ofText)
    })
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

async function firstOf(
  duck: DuckDBConnection,
  sql: string,
  columns: readonly { name: string; type: string }[],
  ofText = false,
): Promise<Sampled> {
  const list = columns.map(({ name }) => `cast(${quoteName(name)} as varchar)`).join(', ')
  const reader = await duck.runAndReadAll(`select ${list} from ${sql} limit ${looked}`)
  return {
    columns: columns.map(({ name, type }) => ({ name, type: ofText ? null : type.toLowerCase() })),
    rows: reader.getRows() as (string | null)[][],
  }
}
