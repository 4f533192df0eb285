import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import { literal } from '../duck/duck'
import type { OpenSource } from './source'
import type { StepContext } from '../context/step'

/** Columns of a source as the types that are wanted of them. */
export interface Cast {
  /** Stands after FROM; without the rows that cannot be cast, where there may be some. */
  readonly from: string
  /** One expression for each column wanted. */
  readonly operands: readonly string[]
  /** Tells the rows that cannot be cast; undefined where all can. */
  readonly wrong: string | undefined
  readonly tries: readonly { readonly source: string; readonly type: string; readonly wrong: string }[]
}

/** Casts that never fail, or that the database does by itself when it takes the value as text. */
function sure(native: string, type: string): boolean {
  if (native === type || type === 'VARCHAR') return true
  const wider: Record<string, readonly string[]> = {
    DOUBLE: ['BIGINT', 'INTEGER', 'SMALLINT', 'FLOAT', 'DOUBLE'],
    BIGINT: ['INTEGER', 'SMALLINT', 'TINYINT', 'UINTEGER'],
    TIMESTAMP: ['DATE'],
    TIMESTAMPTZ: ['TIMESTAMP WITH TIME ZONE', 'TIMESTAMP', 'DATE'],
  }
  return wider[type]?.includes(native) ?? false
}

/**
 * Casts the columns wanted. Lines of text are cast by their reader, which keeps what it cannot cast; other sources cast
 * here, and rows with a value that cannot be cast are left out and told by `wrong`. A number with a part after the point
 * does not become a whole number: what would be lost counts as wrong.
 */
export function castColumns(
  source: OpenSource,
  wanted: readonly { readonly source: string; readonly type: string }[],
): Cast {
  if (source.ofText) {
    const types = Object.fromEntries(wanted.map(({ source: name, type }) => [name, type]))
    return {
      from: source.sql(types),
      operands: wanted.map(({ source: name }) => quoteName(name)),
      wrong: undefined,
      tries: [],
    }
  }
  const natives = new Map(source.columns.map(({ name, type }) => [name, type]))
  const tries: { source: string; type: string; wrong: string }[] = []
  const operands = wanted.map(({ source: name, type }) => {
    const column = quoteName(name)
    const native = natives.get(name) ?? 'VARCHAR'
    if (sure(native, type)) return column
    if (source.once) return `cast(${column} as ${type})`
    const cast = `try_cast(${column} as ${type})`
    const integer = /INT(EGER)?$/.test(type)
    const whole = integer && /^(DOUBLE|FLOAT|DECIMAL)/.test(native)
    // DuckDB rounds on such casts, of numbers and of text alike
    const loses = whole
      ? ` or ${column} <> ${cast}`
      : integer && native === 'VARCHAR'
        ? ` or ${column} not similar to '\\s*[+-]?[0-9]+\\s*'`
        : ''
    tries.push({ source: name, type, wrong: `(${column} is not null and (${cast} is null${loses}))` })
    return cast
  })
  const from = source.sql({})
  if (tries.length === 0) return { from, operands, wrong: undefined, tries }
  const wrong = tries.map((entry) => entry.wrong).join(' or ')
  return { from: `(select * from ${from} where not (${wrong}))`, operands, wrong, tries }
}

/** Writes the rows that cannot be cast, each whole, and counts them by reason. */
export async function keepMiscast(
  duck: DuckDBConnection,
  source: OpenSource,
  cast: Cast,
  context: StepContext,
): Promise<number> {
  if (cast.wrong === undefined) return 0
  const reasons = cast.tries.map(({ wrong }, i) => `count(*) filter (where ${wrong}) as n${i}`)
  const reader = await duck.runAndReadAll(
    `select count(*) filter (where ${cast.wrong}), ${reasons.join(', ')} from ${source.sql({})}`,
  )
  const [total, ...counts] = reader.getRows()[0]!.map(Number)
  if (!total) return 0
  for (const [i, { source: name }] of cast.tries.entries()) {
    if (!counts[i]) continue
    const words = `${name}: cannot be read as its type`
    context.outcome.rejectReasons[words] = (context.outcome.rejectReasons[words] ?? 0) + counts[i]
  }
  const column = cast.tries.map(({ wrong, source: name }) => `when ${wrong} then ${literal(name)}`).join(' ')
  const reason = cast.tries
    .map(
      ({ wrong, source: name, type }) =>
        `when ${wrong} then ${quoteName(name)}::varchar || ' is no ${type.toLowerCase()}'`,
    )
    .join(' ')
  await mkdir(context.rejectFolder, { recursive: true })
  const file = join(context.rejectFolder, `${context.load}-${context.step}.csv`)
  const row = source.columns.map(({ name }) => `${quoteName(name)} := ${quoteName(name)}`).join(', ')
  await duck.run(
    `copy (select parse_filename(mattock_file) as file, n as line, case ${column} end as "column", case ${reason} end as reason, to_json(struct_pack(${row}))::varchar as raw
           from (select *, row_number() over () as n from ${source.sql({})}) where ${cast.wrong}) to ${literal(file)} (format csv, header true)`,
  )
  context.outcome.rejectFile = `${context.run}/${context.load}-${context.step}.csv`
  return total
}
