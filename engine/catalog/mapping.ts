import { valueReadingOf } from '../../core/files/reading'
import type { ValueReading } from '../../core/files/valueReading'
import { misfits, readingBySample } from '../../core/catalog/fits'
import { suggestMapping, type Mapping } from '../../core/catalog/mapping'
import { postgresTypeFor } from '../../core/catalog/types'
import { fail } from '../../core/fault'
import { allSteps } from '../../core/job/document'
import { sourceKind, sources } from '../../core/job/sources'
import { intoTable, type Transfer } from '../../core/job/steps/transfer'
import { targetKind, targets } from '../../core/job/targets'
import { textAt } from '../../core/plan/texts'
import { quoteName, type Resolved } from '../../core/text/slot'
import { openPostgres } from '../connectors/connections'
import { tableColumns, tableOf } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { emptyOutcome, lookContext } from '../context/step'
import { resolveOne, type ResolveAsk } from '../planning/resolve'
import { openDatabaseSource } from '../reading/database'
import { databaseOf, withSource, type DatabasePlace } from '../reading/open'

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
  /** How a column is written, by what is known of it; undefined where that is to be worked out, or is as the job says. */
  readonly readings?: ReadonlyMap<string, ValueReading> | undefined
  readonly detects?: boolean | undefined
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
  const spec = allSteps(plan.request.job.parts[ask.part]!).find(({ id }) => id === ask.step)?.transfer
  const [load] = plan.loads
  if (!spec || !load) fail('unknown-name', `there is no transfer "${ask.step}" to look at for this row`)
  const text = (path: string): Resolved => {
    const resolved = textAt(plan.parts[ask.part]!, load, ask.step, `transfer.${path}`)
    if (!resolved) fail('expression', `${path} could not be resolved; see the findings`)
    if (resolved.kind === 'later')
      fail('expression', `${path} uses what earlier steps do, so it is known only in a run`)
    return resolved
  }
  const where = { environment: ask.environment, zone: plan.request.job.slices?.zone ?? 'UTC' }
  const sampled = await sampleSource(engine, spec, where, text)
  const target = await targetColumns(engine, spec, ask.environment, text)
  const names = sampled.columns.map(({ name }) => name)
  const mapping = suggestMapping(
    names,
    target?.map(({ name }) => name) ?? wantedNames(names, spec),
    spec.columns,
  )
  const valuesOf = (name: string) => sampled.rows.map((row) => row[names.indexOf(name)] ?? null)
  /** The type as it is said, and as Postgres knows it. */
  const typeOf = (name: string): { type: string | null; own: string } => {
    const known = target?.find((column) => column.name === name)
    const given = spec.types?.[name]
    return known
      ? { type: known.type, own: known.type }
      : { type: given ?? null, own: given ? postgresTypeFor(given) : 'text' }
  }
  const stated = valueReadingOf(spec.from)
  return {
    columns: mapping.columns.map((column) => {
      const values = column.source === null ? [] : valuesOf(column.source)
      const { type, own } = typeOf(column.target)
      const known = column.source === null ? undefined : sampled.readings?.get(column.source)
      const plain = { ...stated, ...known }
      const reading = sampled.detects && !known ? readingBySample(values, plain) : plain
      const wrong = misfits(values, own, reading)
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
    from:
      spec.from.query === undefined ? text(`from.${sources[sourceKind(spec.from)].what}`).text : 'the query',
    into: text(`into.${targets[targetKind(spec.into)].what}`).text,
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
  const pool = await openPostgres(engine, text('into.connection').text, environment)
  const client = await pool.connect()
  try {
    return await tableColumns(client, tableOf(text('into.table')))
  } finally {
    client.release()
  }
}

async function sampleSource(
  engine: Engine,
  spec: Transfer,
  where: { readonly environment: string; readonly zone: string },
  text: (path: string) => Resolved,
): Promise<Sampled> {
  const located = { from: spec.from, text: (key: string) => text(`from.${key}`), limit: looked }
  const database = databaseOf(located)
  const { environment, zone } = where
  if (database) return await sampleDatabase(engine, database, where)
  return await withSource(lookContext(engine, environment, zone), located, true, async (duck, source) => {
    if (source.empty) return { columns: [], rows: [] }
    const list = source.columns.map(({ name }) => `cast(${quoteName(name)} as varchar)`).join(', ')
    const reader = await duck.runAndReadAll(`select ${list} from ${source.sql()} limit ${looked}`)
    return {
      readings: source.readings,
      detects: source.detects,
      columns: source.columns.map(({ name, type }) => ({
        name,
        type: source.ofText ? null : type.toLowerCase(),
      })),
      rows: reader.getRows() as (string | null)[][],
    }
  })
}

/** The first rows of a table or a query, in the database's own words. */
async function sampleDatabase(
  engine: Engine,
  { connection, source }: DatabasePlace,
  { environment, zone }: { readonly environment: string; readonly zone: string },
): Promise<Sampled> {
  const client = await (await openPostgres(engine, connection, environment)).connect()
  try {
    const opened = await openDatabaseSource(client, source, connection, { zone, outcome: emptyOutcome() })
    const list = opened.columns.map(({ name }) => `${quoteName(name)}::text`).join(', ')
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
