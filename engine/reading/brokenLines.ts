import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { StepContext } from '../context/step'
import { literal } from '../duck/duck'
import type { OpenSource } from './source'

/** Writes the lines that could not be read as they should, and counts them by reason. */
export async function keepBrokenLines(
  duck: DuckDBConnection,
  source: OpenSource,
  context: StepContext,
): Promise<number> {
  const [found] = (await duck.runAndReadAll('select count(*) from reject_errors')).getRows()
  if (Number(found![0]) === 0) return 0
  await duck.run(
    `create or replace temporary table mattock_rejects as
     select parse_filename(s.file_path) as file, e.line, arg_min(coalesce(e.column_name, ''), e.column_idx) as "column",
       arg_min(case e.error_type
         when 'CAST' then coalesce(regexp_replace(e.error_message, '^Error when converting column "[^"]*"\\. ', ''), '')
         when 'MISSING COLUMNS' then 'fewer fields than the ${source.columns.length} of the header'
         when 'TOO MANY COLUMNS' then 'more fields than the ${source.columns.length} of the header'
         when 'UNQUOTED VALUE' then 'a quote that is not closed as it should be'
         when 'LINE SIZE OVER MAXIMUM' then 'a line that is too long'
         when 'INVALID ENCODING' then 'bytes that are not UTF-8'
         else lower(e.error_type::varchar) end, e.column_idx) as reason,
       arg_min(e.error_type::varchar, e.column_idx) as kind,
       trim(any_value(e.csv_line), E'\\r\\n') as raw
     from reject_errors e join reject_scans s using (scan_id, file_id)
     group by all`,
  )
  const reasons = await duck.runAndReadAll(
    'select kind, "column", count(*) as n from mattock_rejects group by all order by n desc',
  )
  let rejected = 0
  for (const [kind, column, n] of reasons.getRows() as [string, string, bigint][]) {
    rejected += Number(n)
    const words = kind === 'CAST' ? `${column}: cannot be read as its type` : kind.toLowerCase()
    context.outcome.rejectReasons[words] = (context.outcome.rejectReasons[words] ?? 0) + Number(n)
  }
  if (rejected === 0) return 0
  await mkdir(context.rejectFolder, { recursive: true })
  const file = join(context.rejectFolder, `${context.load}-${context.step}.csv`)
  await duck.run(
    `copy (select file, line, "column", reason, raw from mattock_rejects order by file, line) to ${literal(file)} (format csv, header true)`,
  )
  context.outcome.rejectFile = `${context.run}/${context.load}-${context.step}.csv`
  return rejected
}
