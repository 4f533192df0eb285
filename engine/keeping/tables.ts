import type { Engine } from '../context/engine'

/** Bytes of tables of Mattock's own store, with their indexes. */
export async function bytesOf(engine: Engine, tables: readonly string[]): Promise<number> {
  const { rows } = await engine.db.$client.query<{ bytes: number }>(
    `select coalesce(sum(pg_total_relation_size(to_regclass('mattock.' || quote_ident(t)))), 0)::float8 as bytes from unnest($1::text[]) t`,
    [tables],
  )
  return rows[0]!.bytes
}

/** Count and oldest of some rows, and how many of them go. `at` and `ended` are SQL over the table's row `t`. */
export async function counted(
  engine: Engine,
  { table, at, goes }: { table: string; at: string; goes: string },
  before: string | null,
): Promise<{ count: number; oldest: string | null; goes: number }> {
  const { rows } = await engine.db.$client.query<{ count: number; oldest: string | null; goes: number }>(
    `select count(*) as count, min(${at}) as oldest,
       count(*) filter (where $1::timestamptz is not null and ${at} < $1 and ${goes}) as goes from mattock.${table} t`,
    [before],
  )
  return rows[0]!
}
