import { parse } from 'libpg-query'
import type { StepSpec } from '../../core/job/steps'
import type { BoundValue } from '../../core/text/slot'
import { openPostgres } from '../connectors/connections'
import { recorded, stepFault } from '../context/step'
import { writeMarker } from '../writing/markers'
import { inTransaction } from '../writing/transaction'
import type { StepRunner } from './definition'

interface Statement {
  readonly text: string
  readonly values: readonly BoundValue[]
}

/**
 * Cuts a text of several statements at their ends, as the real parser of Postgres sees them, and gives each the
 * values it uses, numbered anew. @throws StepFault `sql` with the parser's message
 */
export async function splitStatements(text: string, values: readonly BoundValue[]): Promise<Statement[]> {
  let parsed: { stmts?: { stmt_location?: number; stmt_len?: number }[] }
  try {
    parsed = (await parse(text)) as typeof parsed
  } catch (error) {
    stepFault('sql', `the SQL cannot be read: ${(error as Error).message}`, 'mend the statement in the job')
  }
  // the parser counts bytes
  const bytes = Buffer.from(text, 'utf8')
  return (parsed.stmts ?? []).map(({ stmt_location = 0, stmt_len }) => {
    const own = bytes
      .subarray(stmt_location, stmt_len ? stmt_location + stmt_len : undefined)
      .toString('utf8')
      .trim()
    return renumber(own, values)
  })
}

/** Gives the `$n` of one statement the numbers 1, 2, 3 …; text in quotes and comments is left alone. */
function renumber(text: string, values: readonly BoundValue[]): Statement {
  const used: number[] = []
  const quoted =
    /('(?:[^']|'')*'|"(?:[^"]|"")*"|--[^\n]*|\/\*[\s\S]*?\*\/|\$([A-Za-z_]\w*)?\$[\s\S]*?\$\2\$)|\$(\d+)/g
  const own = text.replace(quoted, (whole, kept: string | undefined, _tag, digits: string | undefined) => {
    if (kept !== undefined || digits === undefined) return whole
    const number = Number(digits)
    let at = used.indexOf(number)
    if (at < 0) at = used.push(number) - 1
    return `$${at + 1}`
  })
  return { text: own, values: used.map((number) => values[number - 1] ?? null) }
}

export const sql: StepRunner<StepSpec<'sql'>> = {
  run: async (context) => {
    const { engine, environment, text, aside, outcome } = context
    const on = text('on').text
    const statements = text('text')
    if (statements.kind !== 'sql') throw new Error('SQL was expected')
    const pool = await openPostgres(engine, on, environment)
    return await inTransaction(context, { pool, connection: on }, async (client) => {
      let touched = 0
      for (const statement of await splitStatements(statements.text, statements.values)) {
        // in a try the statement works on stand-ins; some have nothing to do there
        const own = aside ? await aside.database(pool, on).statement(statement.text) : statement.text
        if (own === undefined) continue
        const result = await recorded(client, outcome, on, own, statement.values)
        if (/^(INSERT|UPDATE|DELETE|MERGE)$/.test(result.command)) touched += result.rowCount ?? 0
      }
      // what was set for the session would go on to others that are given this connection
      if (/\bset(_config)?\b/i.test(statements.text)) await client.query('reset role; reset all')
      outcome.log.push(`${touched.toLocaleString('en')} ${touched === 1 ? 'row' : 'rows'} changed`)
      await writeMarker(client, context)
    })
  },
}
