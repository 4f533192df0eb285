import { access } from 'node:fs/promises'
import { join } from 'node:path'
import { and, eq } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { valuesOfLine } from '../../core/mending/values'
import { load, loadStep, type ReadAs } from '../../database/schema'
import type { Engine } from '../context/engine'
import { literal, literalList, withDuck } from '../duck/duck'
import { fetchHome } from './home'

/** A rejected row. */
export interface RejectedRow {
  /** Its place among the rejects of the step, from 0. */
  readonly at: number
  readonly file: string
  readonly line: number
  readonly column: string
  readonly reason: string
  readonly raw: string
}

/** A rejected row with its values, in the order of the source's columns; null where they cannot be told. */
export interface RowToMend extends RejectedRow {
  readonly values: readonly (string | null)[] | null
  /** Fields of its line that are beyond the columns. */
  readonly beyond: readonly string[]
}

/** What is kept of the rejects of a step. */
export interface RejectPlace {
  /** Of the file, in the data folder. */
  readonly path: string
  readonly name: string
  readonly state: string
  readonly readAs: ReadAs | null
}

/** Where the rejects of a step are. The name was made by the engine, not by whoever asks. @throws FaultError */
export async function rejectPlace(
  engine: Engine,
  run: number,
  loadId: number,
  step: string,
): Promise<RejectPlace> {
  const [found] = await engine.db
    .select({ file: loadStep.rejectFile, readAs: loadStep.readAs, state: loadStep.state })
    .from(loadStep)
    .innerJoin(load, eq(load.id, loadStep.loadId))
    .where(and(eq(load.runId, run), eq(load.id, loadId), eq(loadStep.step, step)))
  if (!found?.file) fail('unknown-name', `load ${loadId} has no rejects in step ${step}`)
  const path = join(engine.dataFolder, 'rejects', found.file)
  await fetchHome(engine, loadId, step, path)
  await access(path).catch(() =>
    fail('file', `the rejects of load ${loadId} are not in the data folder any more; their counts stay`),
  )
  return { path, name: found.file.replace('/', '-'), state: found.state, readAs: found.readAs }
}

const tableOf = (path: string): string =>
  `(select row_number() over () - 1 as place, * from read_csv(${literal(path)}, header = true, delim = ',', quote = '"', escape = '"', auto_detect = false, parallel = false, max_line_size = 34000000, buffer_size = 35000000, columns = {'file': 'VARCHAR', 'line': 'BIGINT', 'column': 'VARCHAR', 'reason': 'VARCHAR', 'raw': 'VARCHAR'}))`

type Cells = [bigint, string | null, bigint, string | null, string | null, string | null]

const rowOf = ([at, file, line, column, reason, raw]: Cells): RejectedRow => ({
  at: Number(at),
  file: file ?? '',
  line: Number(line),
  column: column ?? '',
  reason: reason ?? '',
  raw: raw ?? '',
})

/** The rejects at some places. */
export async function rejectsAt(
  { path }: Pick<RejectPlace, 'path'>,
  places: readonly number[],
): Promise<RejectedRow[]> {
  return await withDuck('UTC', true, async (duck) => {
    const reader = await duck.runAndReadAll(
      `select * from ${tableOf(path)} where place in (select unnest([${places.join(', ')}]::bigint[]))`,
    )
    return (reader.getRows() as Cells[]).map(rowOf)
  })
}

/** A stretch of the rejects of a step, with how many there are. */
export async function rejectedRows(
  { path }: Pick<RejectPlace, 'path'>,
  offset: number,
  limit: number,
): Promise<{ total: number; rows: RejectedRow[] }> {
  return await withDuck('UTC', true, async (duck) => {
    const from = tableOf(path)
    const total = Number((await duck.runAndReadAll(`select count(*) from ${from}`)).getRows()[0]![0])
    const reader = await duck.runAndReadAll(
      `select * from ${from} order by place offset ${offset} limit ${limit}`,
    )
    return { total, rows: (reader.getRows() as Cells[]).map(rowOf) }
  })
}

/**
 * Rejects with their values, those at the places in `without` left out. Lines are read by the layout of their file; others are
 * JSON objects, whose numbers keep their digits, since DuckDB takes them out as texts.
 */
export async function rowsToMend(
  { path, readAs }: RejectPlace,
  without: readonly number[],
  limit: number,
): Promise<{ total: number; left: number; rows: RowToMend[] }> {
  return await withDuck('UTC', true, async (duck) => {
    const from = tableOf(path)
    await duck.run('create or replace temporary table mattock_done (place bigint)')
    if (without.length > 0)
      await duck.run(`insert into mattock_done select unnest([${without.join(', ')}]::bigint[])`)
    const [[total, left]] = (
      await duck.runAndReadAll(
        `select count(*), count(*) filter (where place not in (select place from mattock_done)) from ${from}`,
      )
    ).getRows() as [[bigint, bigint]]
    const columns = readAs?.columns ?? []
    // a JSON pointer (RFC 6901) takes any name, also one with quotes
    const paths = columns.map((name) => literal(`/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`))
    const whole = `case when json_valid(raw) and json_type(raw) = 'OBJECT' and len(list_filter(json_keys(raw), lambda k: not list_contains(${literalList(columns)}, k))) = 0`
    const reader = await duck.runAndReadAll(
      `select place, file, line, "column", reason, raw, ${whole} then [${paths.map((one) => `raw ->> ${one}`).join(', ')}]::varchar[] end
       from ${from} where place not in (select place from mattock_done) order by place limit ${limit}`,
    )
    const rows = (reader.getRowsJS() as [...Cells, string[] | null][]).map((cells): RowToMend => {
      const row = rowOf(cells.slice(0, 6) as Cells)
      if (!readAs) return { ...row, values: null, beyond: [] }
      const text = readAs.texts?.[row.file]
      if (text && text.names.length > 0) return { ...row, ...valuesOfLine(row.raw, columns, text) }
      // a file whose name another shares, or whose format tells no lines
      if (readAs.texts && !text) return { ...row, values: null, beyond: [] }
      const own = cells[6]
      return {
        ...row,
        values: own && columns.map((name, i) => text?.fixed?.[name] ?? own[i] ?? null),
        beyond: [],
      }
    })
    return { total: Number(total), left: Number(left), rows }
  })
}
