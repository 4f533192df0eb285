import { parse } from 'libpg-query'
import type pg from 'pg'
import type { BoundValue } from '../../core/text/slot'
import { writeMarker } from '../writing/target'
import { recorded, stepFault, type Outcome, type Work } from '../context/work'

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

/** Runs the statements in the transaction of `client`; how many rows they changed goes into the log. */
export async function runSql(
  client: pg.PoolClient,
  pool: pg.Pool,
  on: string,
  text: string,
  values: readonly BoundValue[],
  work: Work,
  outcome: Outcome,
): Promise<void> {
  let touched = 0
  for (const statement of await splitStatements(text, values)) {
    // in a try the statement works on stand-ins; some have nothing to do there
    const own = work.aside ? await work.aside.database(pool, on).statement(statement.text) : statement.text
    if (own === undefined) continue
    const result = await recorded(client, outcome, on, own, statement.values)
    if (/^(INSERT|UPDATE|DELETE|MERGE)$/.test(result.command)) touched += result.rowCount ?? 0
  }
  // what was set for the session would go on to others that are given this connection
  if (/\bset(_config)?\b/i.test(text)) await client.query('reset role; reset all')
  outcome.log.push(`${touched.toLocaleString('en')} ${touched === 1 ? 'row' : 'rows'} changed`)
  await writeMarker(client, work, outcome)
}
