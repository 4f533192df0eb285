import type { Engine } from '../context/engine'
import { readDataset } from '../catalog/reading'

/** A row of a job that lately wrote a dataset. */
export interface WritingRow {
  readonly job: string
  readonly part: string
  readonly row: string
}

/** Days back that count as lately. */
const days = 120

/** The rows whose loads, slice by slice, lately wrote a dataset. @throws FaultError `unknown-name` */
export async function rowsThatWrite(engine: Engine, dataset: number): Promise<{ environment: string; rows: WritingRow[] }> {
  const { environment, connection, start, kind } = await readDataset(engine, dataset)
  const place = kind === 'table' || kind === 'view' ? 't.locator = $3' : `t.locator ~>=~ $3 and t.locator ~<~ ($3 || U&'\\FFFF')`
  const { rows } = await engine.db.$client.query<WritingRow>(
    `select distinct t.job, coalesce(p.id, '#' || l.part) as part, coalesce(l.row_key, '') as row
     from mattock.touch t join mattock.load l on l.id = t.load_id left join mattock.run_part p on p.run_id = l.run_id and p.part = l.part
     where t.environment = $1 and t.connection = $2 and ${place} and t.direction = 'write' and l.slice_from is not null
       and t.at > mattock.clock() - interval '${days} days' order by 1, 2, 3`,
    [environment, connection, start],
  )
  return { environment, rows }
} // prettier-ignore
