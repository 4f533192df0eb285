import type { Keeper } from './definition'
import { bytesOf, counted } from './tables'

const batch = 5000

/** A kind that is the rows of one table, and what hangs on them. `at` and `goes` are SQL over its row `t`. */
export function rowsOf(given: {
  readonly table: string
  readonly key: string
  readonly at: string
  readonly goes?: string
  /** Tables whose bytes count with it. */
  readonly tables?: readonly string[]
}): Keeper {
  const { table, key, at, goes = 'true' } = given
  return {
    amount: async (engine, before) => ({
      ...(await counted(engine, { table, at, goes }, before)),
      bytes: await bytesOf(engine, [table, ...(given.tables ?? [])]),
    }),
    takeAway: async (engine, before) => {
      const { rowCount } = await engine.db.$client.query(
        `delete from mattock.${table} where ${key} in
           (select t.${key} from mattock.${table} t where ${at} < $1 and ${goes} order by t.${key} limit ${batch})`,
        [before],
      )
      return rowCount ?? 0
    },
  }
}
