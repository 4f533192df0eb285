import type { Engine } from './engine'

/** The clock that all work goes by, in milliseconds since 1970; a demo’s runs ahead. */
export async function clockNow(engine: Engine): Promise<number> {
  const { rows } = await engine.db.$client.query<{ now: string }>('select mattock.clock() as now')
  return Date.parse(rows[0]!.now)
}

/** Milliseconds by which that clock is ahead of the real one; 0 where nothing moved it. */
export async function clockAhead(engine: Engine): Promise<number> {
  const { rows } = await engine.db.$client.query<{ ahead: number }>(
    'select round(extract(epoch from mattock.clock() - clock_timestamp()) * 1000)::float8 as ahead',
  )
  return rows[0]!.ahead
}
