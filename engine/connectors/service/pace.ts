import type { Engine } from '../../context/engine'

/** Lets a request to an address go, or says how many milliseconds it has to wait before it asks again. */
export type Pace = (address: string, perMinute: number) => Promise<number>

/** The pace that all workers, the server and the planner keep together: their common store counts. */
export const paceOf =
  (engine: Engine): Pace =>
  async (address, perMinute) => {
    const { rows } = await engine.db.$client.query<{ wait: number }>(
      'select mattock.keep_pace($1, $2) as wait',
      [address, perMinute],
    )
    return rows[0]!.wait
  }
