import { marksWanted, type MarkWant } from '../../core/plan/markWants'
import type { Expansion, MarkFact } from '../../core/plan/types'
import { quoteName } from '../../core/text/slot'
import { openPostgres } from '../connectors/connections'
import { qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { inBatches } from '../context/inBatches'
import { hasMarks } from '../writing/since'

/** Marks that are looked at for one plan; each asks its source how far it goes. */
const most = 100

/** What is known of the marks that a plan's loads go by; one whose database does not answer is left out. */
export async function gatherMarks(engine: Engine, expansion: Expansion): Promise<Map<string, MarkFact>> {
  const wanted = new Map(marksWanted(expansion).map((want) => [want.key, want]))
  const facts = new Map<string, MarkFact>()
  await inBatches([...wanted.values()].slice(0, most), 4, async (want) => {
    try {
      facts.set(want.key, await look(engine, expansion.request.environment.name, want))
    } catch (error) {
      // the load tells it; the plan says what it can
      if (typeof (error as { code?: unknown }).code !== 'string') throw error
    }
  })
  return facts
}

async function look(engine: Engine, environment: string, want: MarkWant): Promise<MarkFact> {
  const target = await openPostgres(engine, want.connection, environment)
  const { rows } = (await hasMarks(target))
    ? await target.query<{ value: string | null }>(
        'select value from mattock.load_mark where installation = $1 and environment = $2 and name = $3',
        [engine.installation, environment, want.name],
      )
    : { rows: [] }
  const value = rows[0]?.value ?? null
  const [schema, ...rest] = want.table.split('.')
  const table = { schema: schema!, name: rest.join('.') }
  const column = quoteName(want.column)
  const pool = await openPostgres(engine, want.source, environment)
  const client = await pool.connect()
  try {
    await client.query(`begin read only; set local statement_timeout to '5s'; set local timezone to 'UTC'; set local datestyle to 'ISO, YMD'`)
    const { rows: found } = await client.query<{ top: string | null; type: string; ties: boolean }>(
      `select max(${column})::text as top, pg_typeof(max(${column}))::text as type, not exists (
         select from pg_index i join pg_attribute a on a.attrelid = i.indrelid and a.attnum = i.indkey[0]
         where i.indrelid = $1::regclass and i.indisunique and i.indnkeyatts = 1 and i.indpred is null and a.attname = $2) as ties
       from ${qualified(table)}`,
      [qualified(table), want.column],
    )
    const { top, type, ties } = found[0]!
    if (value === null || top === null) return { value, top, ahead: false, ties }
    const { rows: compared } = await client.query<{ ahead: boolean }>(`select $1::${type} > $2::${type} as ahead`, [value, top])
    return { value, top, ahead: compared[0]!.ahead, ties }
  } finally {
    await client.query('rollback').catch(() => {})
    client.release()
  }
} // prettier-ignore
