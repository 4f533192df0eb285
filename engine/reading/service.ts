import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { FileFormat } from '../../core/catalog/found'
import { layServiceDown } from '../connectors/service/layDown'
import type { Service } from '../connectors/service/service'
import type { Outcome } from '../context/step'
import { formats } from '../formats'
import { countJson } from '../formats/json/count'
import type { EmptySource, OpenSource } from './source'

/** An address of a service. */
export interface ServicePlace {
  readonly service: Service
  readonly path: string
  /** Path in the answer to the list of records. */
  readonly records: string | undefined
  /** Path within a record to the list whose entries are the rows. */
  readonly inner: string | undefined
  /** Records that are asked for at most. */
  readonly limit?: number
}

/** Opens what a service answers, all pages of it; it is laid down first, so that its rows take effect once or not at all. */
export async function openAnswer(
  duck: DuckDBConnection,
  { service, path, records, inner, limit }: ServicePlace,
  folder: string,
  signal: AbortSignal,
  outcome: Outcome,
): Promise<OpenSource | EmptySource> {
  const file = join(folder, 'answer.ndjson')
  const pauses = new Map<string, number>()
  const onPause = (reason: string) => pauses.set(reason, (pauses.get(reason) ?? 0) + 1)
  const laid = await layServiceDown(service, path, file, {
    signal,
    onPause,
    records,
    ...(limit === undefined ? {} : { limit }),
  })
  for (const [reason, times] of pauses)
    outcome.log.push(`${reason}: waited and asked again, ${times} ${times === 1 ? 'time' : 'times'}`)
  outcome.log.push(
    `${service.name}${path}: ${laid.pages} pages, ${laid.records.toLocaleString('en')} records, ${laid.bytes.toLocaleString('en')} bytes`,
  )
  const counted = (rows: number) => Promise.resolve({ files: [], rows, bytes: laid.bytes })
  if (laid.records === 0) return { empty: true, label: path, counted: counted(0) }
  const format: FileFormat = { kind: 'ndjson', ...(inner ? { inner } : {}) }
  const relation = await formats.ndjson.relation(
    duck,
    [{ full: file, path: 'answer.ndjson' }],
    format,
    [],
    folder,
  )
  const rows = inner ? await countJson(duck, file, format) : laid.records
  return {
    empty: false,
    label: path,
    ofText: false,
    decimalNumbers: true,
    columns: relation.columns,
    sql: () => relation.sql,
    counted: counted(rows),
  }
}
