import type pg from 'pg'
import { withoutMoments } from '../../../core/text/moments'

/** The types that the database gives to the parameters of a statement, or why it cannot be prepared. Nothing is run. */
export async function prepare(client: pg.ClientBase, text: string): Promise<string[] | Error> {
  try {
    await client.query(`prepare mattock_look as ${text}`)
  } catch (error) {
    return error as Error
  }
  try {
    const { rows } = await client.query<{ types: string[] }>(
      `select array(select format_type(t, null) from unnest(parameter_types) with ordinality p(t, n) order by n) as types
       from pg_prepared_statements where name = 'mattock_look'`,
    )
    return rows[0]!.types
  } finally {
    await client.query('deallocate mattock_look')
  }
}

/** The types that points in time meet in a statement, where it gives them none itself. @throws as the database does */
export async function parameterTypes(client: pg.ClientBase, text: string): Promise<string[]> {
  const types = await prepare(client, withoutMoments(text))
  if (!Array.isArray(types)) throw types
  return types
}
