import { isRelation } from '../../core/catalog/datasetKinds'
import { eq, sql } from 'drizzle-orm'
import { quoteName } from '../../core/text/slot'
import type { CatalogColumn } from '../../core/catalog/edits'
import { datasetProfile, type ColumnProfile } from '../../database/catalog'
import { openPostgres } from '../connectors/connections'
import { qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { reasonOf } from '../survey/reason'
import { catalogColumns, readDataset, datasetTable, typedSql, withDataset, type Dataset } from './reading'

const bins = 20
const commonest = 5

/**
 * Asks for a profile; a worker makes it. Asking again while one is under way changes nothing. `exact`: what of files would
 * be estimated is counted, which takes longer.
 */
export async function askProfile(engine: Engine, id: number, exact = false): Promise<void> {
  await readDataset(engine, id)
  const { rowCount } = await engine.db.$client.query(
    `insert into mattock.dataset_profile (dataset_id, state, asked_at) values ($1, 'waiting', clock_timestamp())
     on conflict (dataset_id) do update set state = 'waiting', asked_at = excluded.asked_at, fault = null
     where dataset_profile.state not in ('waiting', 'running') or dataset_profile.asked_at < clock_timestamp() - interval '1 hour'`,
    [id],
  )
  if (rowCount)
    await engine.db.$client.query(
      `select graphile_worker.add_job('profile', json_build_object('dataset', $1::int, 'exact', $2::boolean), job_key := 'profile:' || $1::int, max_attempts := 3)`,
      [id, exact],
    )
}

/** Makes a profile that was asked for. */
export async function runProfile(engine: Engine, id: number, exact = false): Promise<void> {
  const set = (values: Partial<typeof datasetProfile.$inferInsert> | Record<string, unknown>) =>
    engine.db.update(datasetProfile).set(values).where(eq(datasetProfile.datasetId, id))
  await set({ state: 'running', startedAt: sql`clock_timestamp()` })
  try {
    const entry = await readDataset(engine, id)
    const made = await profileDataset(engine, entry, exact)
    await set({
      state: 'done',
      endedAt: sql`clock_timestamp()`,
      rows: made.rows,
      columns: made.columns,
      fault: null,
    })
  } catch (error) {
    await set({ state: 'failed', endedAt: sql`clock_timestamp()`, fault: reasonOf(error) })
  }
}

export interface Profile {
  readonly rows: number
  readonly columns: ColumnProfile[]
}

/** Profiles every row of a dataset, in the database itself or by DuckDB over its files; two passes. */
export async function profileDataset(engine: Engine, entry: Dataset, exact = false): Promise<Profile> {
  const columns = catalogColumns(entry)
  if (!isRelation(entry.kind))
    return await withDataset(engine, entry, Infinity, async (duck, relation) => {
      const typed = columns.flatMap((column) => {
        const native = relation.columns.find(({ name }) => name === column.source)?.type
        if (native === undefined) return []
        const text = `nullif(trim(cast(${quoteName(column.source)} as varchar)), '')`
        const operand = native === 'VARCHAR' ? text : quoteName(column.source)
        return [{ column, value: typedSql(operand, column, native) }]
      })
      const ask = async (statement: string) =>
        (await duck.runAndReadAll(statement)).getRowObjectsJson() as Answer[]
      return await profile(typed, relation.sql, exact ? { ...duckWords, distinct: counting } : duckWords, ask)
    })
  const pool = await openPostgres(engine, entry.connection, entry.environment)
  const typed = columns.map((column) => ({ column, value: quoteName(column.source) }))
  const ask = async (statement: string) => (await pool.query<Answer>(statement)).rows
  return await profile(typed, qualified(datasetTable(entry)), postgresWords, ask)
}

type Answer = Record<string, unknown>

/** What the two databases write differently. */
interface Words {
  /** How often each value comes is a map that the database makes. */
  readonly histograms: boolean
  readonly distinct: (value: string) => string
  readonly seconds: (value: string) => string
  /** Counts of the bins of a column whose bin is `b` with its number: as h<number>, a map, or as c<number>_<bin> each. */
  readonly bins: (i: number) => string[]
}
const counting = (value: string): string => `count(distinct ${value})`
const duckWords: Words = {
  histograms: true,
  distinct: (value) => `approx_count_distinct(${value})`,
  seconds: (value) => `epoch(${value}::timestamp)`,
  bins: (i) => [`histogram(b${i}) as h${i}`],
}
const postgresWords: Words = {
  histograms: false,
  distinct: counting,
  seconds: (value) => `extract(epoch from ${value})::float8`,
  bins: (i) =>
    Array.from({ length: bins }, (_, bin) => `count(*) filter (where b${i} = ${bin}) as c${i}_${bin}`),
}

/** Of a column with more different values than this, none is common enough to be worth a pass. */
const fewValues = 2000

interface Typed {
  readonly column: CatalogColumn
  readonly value: string
}

const numeric = ({ type }: Pick<CatalogColumn, 'type'>): boolean =>
  type === 'integer' || type === 'decimal' || type === 'number'

/** Values that lie on a line, as numbers of it: numbers themselves, points in time in seconds. Undefined for others. */
function measure({ column, value }: Typed, words: Words): string | undefined {
  if (numeric(column)) return `cast(${value} as double precision)`
  if (column.type === 'date' || column.type === 'timestamp') return words.seconds(value)
  return undefined
}

async function profile(
  typed: readonly Typed[],
  from: string,
  words: Words,
  ask: (statement: string) => Promise<Answer[]>,
): Promise<Profile> {
  const first = typed.flatMap((entry, i) => {
    const { column, value } = entry
    const number = numeric(column)
    const ordered = column.type !== 'boolean' || words.histograms
    const at = measure(entry, words)
    const plain = comparable(column, value, words)
    return [
      `count(${value}) as n${i}`,
      `${words.distinct(plain)} as d${i}`,
      ...(ordered
        ? [`cast(min(${plain}) as varchar) as min${i}`, `cast(max(${plain}) as varchar) as max${i}`]
        : []),
      ...(number ? [`avg(${at}) as mean${i}`, `stddev_samp(${at}) as sd${i}`] : []),
      ...(at ? [`min(${at}) as low${i}`, `max(${at}) as high${i}`] : []),
    ]
  })
  const [whole = {}] = await ask(`select count(*) as n, ${first.join(', ')} from ${from}`)
  const rows = Number(whole.n)
  const second = typed.flatMap((entry, i) => {
    const at = measure(entry, words)
    const [low, high] = [whole[`low${i}`], whole[`high${i}`]].map((end) => (end == null ? NaN : Number(end)))
    if (!at || !Number.isFinite(low) || !Number.isFinite(high) || high === low) return []
    const place = `least(${bins - 1}, cast(floor((${at} - (${low})) / (${(high! - low!) / bins})) as int))`
    return [{ i, low: low!, width: (high! - low!) / bins, place }]
  })
  const few = typed.map((_, i) => Number(whole[`d${i}`]) <= fewValues)
  const { counts, values, different } = await counted(typed, second, few, from, words, ask)
  const columns: ColumnProfile[] = []
  for (const [i, { column, value }] of typed.entries()) {
    const scale = second.find((entry) => entry.i === i)
    const time = column.type === 'date' || column.type === 'timestamp'
    columns.push({
      name: column.source,
      nulls: rows - Number(whole[`n${i}`]),
      ...(different.has(i) || words.distinct === counting
        ? { distinct: different.get(i) ?? Number(whole[`d${i}`]) }
        : { distinct: Math.min(Number(whole[`d${i}`]), Number(whole[`n${i}`])), estimated: true as const }),
      min: textOf(whole[`min${i}`]),
      max: textOf(whole[`max${i}`]),
      mean: numberOf(whole[`mean${i}`]),
      deviation: numberOf(whole[`sd${i}`]),
      common: values.get(i) ?? (few[i] ? await commonOf(value, from, ask) : []),
      bins: scale
        ? Array.from({ length: bins }, (_, bin) => {
            const at = scale.low + bin * scale.width
            return {
              from: time ? new Date(at * 1000).toISOString().slice(0, 16).replace('T', ' ') : String(at),
              count: counts(`c${i}_${bin}`),
            }
          })
        : [],
    })
  }
  return { rows, columns }
}

/** Types that Postgres neither orders nor tells apart (json) are taken as text. */
function comparable({ type }: CatalogColumn, value: string, words: Words): string {
  return type === 'text' && !words.histograms ? `${value}::text` : value
}

/** In one pass: values per bin, and by DuckDB how often each value of the columns with few of them comes. */
async function counted(
  typed: readonly Typed[],
  scales: readonly { i: number; place: string }[],
  few: readonly boolean[],
  from: string,
  words: Words,
  ask: (statement: string) => Promise<Answer[]>,
): Promise<{
  counts: (name: string) => number
  values: Map<number, ColumnProfile['common']>
  /** Different values of the columns with few. */
  different: Map<number, number>
}> {
  const inner = scales.map(({ i, place }) => `${place} as b${i}`)
  const outer = scales.flatMap(({ i }) => words.bins(i))
  const listed = words.histograms ? typed.flatMap((_, i) => (few[i] ? [i] : [])) : []
  for (const i of listed) {
    inner.push(`cast(${typed[i]!.value} as varchar) as t${i}`)
    outer.push(`histogram(t${i}) as t${i}`)
  }
  const values = new Map<number, ColumnProfile['common']>()
  const different = new Map<number, number>()
  if (outer.length === 0) return { counts: () => 0, values, different }
  const [row = {}] = await ask(
    `select ${outer.join(', ')} from (select ${inner.join(', ')} from ${from}) binned`,
  )
  const found = new Map(Object.entries(row).map(([name, value]) => [name, Number(value)]))
  for (const { i } of scales)
    for (const { key, value } of entriesOf(row[`h${i}`])) found.set(`c${i}_${key}`, Number(value))
  for (const i of listed) {
    const all = sorted(entriesOf(row[`t${i}`]).map(({ key, value }) => ({ v: key, n: value })))
    values.set(i, all.slice(0, commonest))
    different.set(i, all.length)
  }
  return { counts: (name) => found.get(name) ?? 0, values, different }
}

/** The entries of a map as DuckDB writes it. */
const entriesOf = (map: unknown): readonly { key: unknown; value: unknown }[] =>
  Array.isArray(map) ? (map as { key: unknown; value: unknown }[]) : []

/** The commonest values of a column in Postgres. */
async function commonOf(
  value: string,
  from: string,
  ask: (statement: string) => Promise<Answer[]>,
): Promise<{ value: string; count: number }[]> {
  return sorted(
    await ask(
      `select cast(${value} as varchar) as v, count(*) as n from ${from} where ${value} is not null group by 1 order by 2 desc, 1 limit ${commonest}`,
    ),
  )
}

const sorted = (rows: readonly Answer[]): { value: string; count: number }[] =>
  rows
    .map(({ v, n }) => ({ value: String(v), count: Number(n) }))
    .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))
const textOf = (value: unknown): string | null => (value == null ? null : String(value))
const numberOf = (value: unknown): number | null => (value == null ? null : Number(value))
