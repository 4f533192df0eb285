import { changeText, type SchemaChange } from '../../core/catalog/compare'
import type { Engine } from '../context/engine'
import type { Decision } from './decision'

/** Datasets whose source is not as it is known, one decision for each connection. */
export async function drift(engine: Engine, environment: string): Promise<Decision[]> {
  const { rows } = await engine.db.$client.query<{
    connection: string
    count: number
    latest: string
    names: string[]
    waits: SchemaChange
  }>(
    `select connection, count(*)::int as count, max(surveyed_at) as latest, (array_agg(name order by name))[1:3] as names, (array_agg(waits order by name))[1] as waits
     from mattock.dataset where environment = $1 and waits is not null group by connection order by max(surveyed_at) desc`,
    [environment],
  )
  return rows.map(({ connection, count, latest, names, waits }) => ({
    kind: 'drift',
    key: `drift ${connection}`,
    title:
      count === 1
        ? `${names[0]} is not as it is known`
        : `${connection}: ${count} datasets are not as they are known`,
    text: count === 1 ? changeText(waits) : `${names.join(', ')}${count > names.length ? ' and others' : ''}`,
    count,
    run: null,
    job: null,
    connection,
    latest,
  }))
}
