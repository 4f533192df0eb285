import type pg from 'pg'
import { sqlWants } from '../../core/plan/sqlWants'
import type { Expansion, MomentFact } from '../../core/plan/types'
import { withoutMoments } from '../../core/text/moments'
import { openPostgres } from '../connectors/connections'
import { prepare } from '../connectors/postgres/prepare'
import { postgresMessage } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { splitStatements } from '../steps/sql'

/**
 * What points in time meet in the statements of a plan: each is prepared once, and nothing is run. What cannot be
 * prepared, as where a table is made by a step before, is left out: the load tells it.
 */
export async function gatherMoments(engine: Engine, expansion: Expansion): Promise<Map<string, MomentFact>> {
  const wanted = new Map<string, Map<string, string>>()
  for (const { connection, key, text } of sqlWants(expansion)) {
    const texts = wanted.get(connection)
    if (texts) texts.set(key, text)
    else wanted.set(connection, new Map([[key, text]]))
  }
  const facts = new Map<string, MomentFact>()
  for (const [connection, texts] of wanted) {
    try {
      const pool = await openPostgres(engine, connection, expansion.request.environment.name)
      const client = await pool.connect()
      try {
        for (const [key, text] of texts) {
          const fact = await momentFact(client, text)
          if (fact) facts.set(key, fact)
        }
      } finally {
        client.release()
      }
    } catch (error) {
      // a connection that does not answer is told by other findings, or by the load
      if (error instanceof TypeError) throw error
    }
  }
  return facts
}

/** @param text one statement or several, with the parameters of all numbered through */
async function momentFact(client: pg.ClientBase, text: string): Promise<MomentFact | undefined> {
  const numbers = Array.from({ length: Math.max(0, ...Array.from(text.matchAll(/\$(\d+)/g), ([, n]) => Number(n))) }, (_, i) => String(i + 1)) // prettier-ignore
  const types: (string | undefined)[] = []
  let seen = false
  // each parameter stands for its own number, so that what a statement has can be told from the others'
  const statements = await splitStatements(text, numbers).catch(() => [])
  for (const { text: own, values } of statements) {
    const open = await prepare(client, withoutMoments(own))
    if (Array.isArray(open)) {
      values.forEach((number, i) => (types[Number(number) - 1] ??= open[i]))
      seen = true
      const said = await prepare(client, own)
      if (!Array.isArray(said)) return { types, refused: postgresMessage(said) }
    }
  }
  return seen ? { types } : undefined
}
