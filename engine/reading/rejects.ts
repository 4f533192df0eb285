import { mkdir } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { isDeepStrictEqual } from 'node:util'
import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import type { ReadAs } from '../../database/schema'
import type { StepContext } from '../context/step'
import { literal, withDuck } from '../duck/duck'
import type { Casting } from './cast'
import { fileSql } from '../formats/decode'
import { eachRecord } from './count'
import type { OpenSource } from './source'

/** Rows that are left out, as they stand in temporary tables until their lines are found. */
const wrongTable = 'mattock_wrong'
const brokenTable = 'mattock_broken'
const placesTable = 'mattock_places'

/** Tells rows that were refused elsewhere: number in the order of the source, column, reason, and the reason of all such rows. */
export type MoreWrong = (
  add: (number: number, column: string, reason: string, words: string) => void,
) => Promise<void>

/** Lines that no reader can take, of the reading that `duck` has just done. */
export async function brokenLines(duck: DuckDBConnection, source: OpenSource): Promise<number> {
  if (!source.ofText) return 0
  await duck.run(
    `create or replace temporary table ${brokenTable} as
     select ${fileSql('s.file_path', source.copies ?? new Map())} as file, e.line_byte_position - 1 as place,
       arg_min(coalesce(e.column_name, ''), e.column_idx) as "column",
       arg_min(case e.error_type
         when 'MISSING COLUMNS' then 'fewer fields than the ${source.columns.length} of the header'
         when 'TOO MANY COLUMNS' then 'more fields than the ${source.columns.length} of the header'
         when 'UNQUOTED VALUE' then 'a quote that is not closed as it should be'
         when 'LINE SIZE OVER MAXIMUM' then 'a line that is too long'
         when 'INVALID ENCODING' then 'bytes that are not UTF-8'
         else lower(e.error_type::varchar) end, e.column_idx) as reason,
       arg_min(lower(e.error_type::varchar), e.column_idx) as kind,
       any_value(e.csv_line) as raw
     from reject_errors e join reject_scans s using (scan_id, file_id)
     group by all`,
  )
  const [found] = (await duck.runAndReadAll(`select count(*) from ${brokenTable}`)).getRows()
  return Number(found![0])
}

/**
 * Keeps the rows that were left out, whole, each with file, line, column and reason, and counts them by reason: the
 * lines that `brokenLines` found, and, where rows are missing, those with a value that does not fit. Only then is the
 * source read once more, in its order.
 * @returns the rows with a value that does not fit
 */
export async function keepRejects(
  duck: DuckDBConnection,
  source: OpenSource,
  casting: Casting,
  {
    broken,
    missing,
    more,
  }: { readonly broken: number; readonly missing: number; readonly more?: MoreWrong | undefined },
  context: StepContext,
): Promise<number> {
  const looks = missing > 0 && (casting.wrong !== undefined || more !== undefined)
  if (broken === 0 && !looks) return 0
  await mkdir(context.rejectFolder, { recursive: true })
  const file = join(context.rejectFolder, `${context.load}-${context.step}.csv`)
  return await withDuck(context.zone, true, async (ordered) => {
    const wrong = looks ? await wrongRows(ordered, source, casting, more) : 0
    const brokenRows = broken > 0 ? await copyOver(duck, ordered) : 0
    if (wrong + brokenRows === 0) return 0
    await countReasons(ordered, { wrong, broken: brokenRows }, context)
    const parts: string[] = []
    if (source.texts && source.texts.size > 0) {
      await findPlaces(ordered, source.texts, { wrong, broken: brokenRows })
      if (wrong > 0)
        parts.push(
          `select w.file, l.line, w."column", w.reason, coalesce(l.raw, w.raw) as raw from ${wrongTable} w left join ${placesTable} l on l.file = w.file and l.number = w.number and l.place is null`,
        )
      if (brokenRows > 0)
        parts.push(
          `select b.file, coalesce(l.line, 0) as line, b."column", b.reason, coalesce(l.raw, trim(b.raw, E'\\r\\n')) as raw from ${brokenTable} b left join ${placesTable} l on l.file = b.file and l.place = b.place`,
        )
    } else if (wrong > 0) parts.push(`select file, number as line, "column", reason, raw from ${wrongTable}`)
    await ordered.run(
      `copy (select parse_filename(file) as file, line, "column", reason, raw from (${parts.join(' union all ')}) order by file, line) to ${literal(file)} (format csv, header true)`,
    )
    context.outcome.rejectFile = `${context.run}/${context.load}-${context.step}.csv`
    context.outcome.readAs = readAs(source)
    return wrong
  })
}

/** How the rows are read, for those that a person mends. Null where a rejected row is not one of the source's own. */
function readAs({
  columns,
  texts,
  record,
  decimal,
  reading,
  readings,
  types,
  renames,
}: OpenSource): ReadAs | null {
  if (record !== undefined) return null
  const named = [...(texts ?? [])].map(([full, text]) => [basename(full), text] as const)
  const same = ([name, text]: (typeof named)[number]) =>
    named.every(([other, its]) => other !== name || isDeepStrictEqual(its, text))
  const object = <T>(map: ReadonlyMap<string, T> | undefined) => map && Object.fromEntries(map)
  return {
    columns: columns.map(({ name }) => name),
    ...(texts ? { texts: Object.fromEntries(named.filter(same)) } : {}),
    ...(decimal ? { decimal } : {}),
    ...(reading ? { reading } : {}),
    ...(readings ? { readings: object(readings)! } : {}),
    ...(types ? { types: object(types)! } : {}),
    ...(renames ? { renames: object(renames)! } : {}),
  }
}

/** The rows with a value that does not fit, and those refused elsewhere, each numbered within its file as it stands there. */
async function wrongRows(
  ordered: DuckDBConnection,
  source: OpenSource,
  { judged, tries, wrong }: Casting,
  more: MoreWrong | undefined,
): Promise<number> {
  const raw = source.texts
    ? 'null::varchar'
    : `to_json(struct_pack(${source.columns.map(({ name }) => `${quoteName(name)} := ${quoteName(name)}`).join(', ')}))::varchar`
  const numbered = `(select *, row_number() over () as mattock_n from ${judged})`
  const number = source.record ?? 'mattock_n'
  await ordered.run(
    `create or replace temporary table ${wrongTable} (file varchar, number bigint, "column" varchar, reason varchar, raw varchar, kind varchar)`,
  )
  if (wrong !== undefined) {
    const first = (of: 'column' | 'words') =>
      `case ${tries.map((one) => `when ${one.wrong} then ${literal(one[of])}`).join(' ')} end`
    // all that is wrong with a row, not the first thing only
    const reasons = tries.map(({ wrong: no, reason }) => `case when ${no} then ${reason} end`)
    await ordered.run(
      `insert into ${wrongTable}
       select coalesce(mattock_file, ''), ${number}, ${first('column')}, concat_ws('; ', ${reasons.join(', ')}), ${raw}, ${first('words')}
       from ${numbered} where ${wrong}`,
    )
  }
  if (more) {
    await ordered.run(
      'create or replace temporary table mattock_refused (number bigint, "column" varchar, reason varchar, words varchar)',
    )
    await append(ordered, 'mattock_refused', (add) => more((...row) => add(row)))
    await ordered.run(
      `insert into ${wrongTable} select coalesce(mattock_file, ''), ${source.record ?? 'number'}, "column", reason, ${raw}, words
       from ${numbered} s join mattock_refused r on r.number = s.mattock_n`,
    )
  }
  const [[found]] = (await ordered.runAndReadAll(`select count(*) from ${wrongTable}`)).getRows() as [
    [bigint],
  ]
  // the files come one after the other: a row's number within its own is that behind the first of it
  if (found > 0n && (source.texts?.size ?? 1) > 1 && !source.record)
    await ordered.run(
      `update ${wrongTable} set number = number - f.first + 1
       from (select coalesce(mattock_file, '') as file, min(mattock_n) as first from ${numbered} group by all) f
       where f.file = ${wrongTable}.file`,
    )
  return Number(found)
}

/** The broken lines of one connection for another: temporary tables are seen by their own only. */
async function copyOver(from: DuckDBConnection, to: DuckDBConnection): Promise<number> {
  const reader = await from.runAndReadAll(
    `select file, place, "column", reason, kind, raw from ${brokenTable}`,
  )
  await to.run(
    `create or replace temporary table ${brokenTable} (file varchar, place bigint, "column" varchar, reason varchar, kind varchar, raw varchar)`,
  )
  const rows = reader.getRows() as [string, bigint, string, string, string, string | null][]
  await append(to, brokenTable, (add) => {
    for (const row of rows) add(row)
    return Promise.resolve()
  })
  return rows.length
}

/** Appends rows to a temporary table: a text, a number or nothing for each column. */
async function append(
  duck: DuckDBConnection,
  table: string,
  work: (add: (row: readonly (string | bigint | number | null)[]) => void) => Promise<void>,
): Promise<void> {
  const appender = await duck.createAppender(table, null, 'temp')
  try {
    await work((row) => {
      for (const value of row) {
        if (value === null) appender.appendNull()
        else if (typeof value === 'string') appender.appendVarchar(value)
        else appender.appendBigInt(BigInt(value))
      }
      appender.endRow()
    })
  } finally {
    appender.closeSync()
  }
}

async function countReasons(
  ordered: DuckDBConnection,
  { wrong, broken }: { readonly wrong: number; readonly broken: number },
  { outcome }: StepContext,
): Promise<void> {
  const add = async (table: string) => {
    const reader = await ordered.runAndReadAll(
      `select kind, count(*) from ${table} group by all order by 2 desc`,
    )
    for (const [words, n] of reader.getRows() as [string, bigint][])
      outcome.rejectReasons[words] = (outcome.rejectReasons[words] ?? 0) + Number(n)
  }
  if (wrong > 0) await add(wrongTable)
  if (broken > 0) await add(brokenTable)
}

/**
 * Goes through the files once more and notes where the rows that were left out stand, and what stands there. Rows are
 * numbered among those that could be read at all, so the broken ones, which are known by their bytes, are passed by.
 */
async function findPlaces(
  ordered: DuckDBConnection,
  texts: NonNullable<OpenSource['texts']>,
  { wrong, broken }: { readonly wrong: number; readonly broken: number },
): Promise<void> {
  await ordered.run(
    `create or replace temporary table ${placesTable} (file varchar, number bigint, place bigint, line bigint, raw varchar)`,
  )
  const column = async (table: string, name: string, file: string): Promise<number[]> => {
    const reader = await ordered.runAndReadAll(
      `select ${name} from ${table} where file = ${literal(file)} order by ${name}`,
    )
    return reader.getRows().map(([value]) => Number(value))
  }
  for (const [file, { format }] of texts) {
    // several rows of a record have its number
    const numbers = wrong > 0 ? [...new Set(await column(wrongTable, 'number', file))] : []
    const breaks = broken > 0 ? await column(brokenTable, 'place', file) : []
    if (numbers.length + breaks.length === 0) continue
    let good = 0
    let nextWrong = 0
    let nextBroken = 0
    await append(ordered, placesTable, (add) =>
      eachRecord(file, format, ({ line, at, bytes }) => {
        // the place of a broken line is that of its first letter, or of the line break before it
        const place = breaks[nextBroken]
        const isBroken = place !== undefined && place <= at
        if (isBroken) nextBroken++
        else if (++good !== numbers[nextWrong]) return
        else nextWrong++
        add([file, isBroken ? null : good, isBroken ? place : null, line, bytes().toString('utf8')])
      }),
    )
  }
}
