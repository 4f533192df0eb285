import { fail } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { rostersShow } from '../../core/job/rosters'
import { parseTemplate } from '../../core/text/template'
import type { Engine } from '../context/engine'
import { tablesOf } from '../steps/tablesOf'

/**
 * Are places of a connection open to who may only look: tables (`schema.name`) or files that are of datasets of the
 * catalog, none of them closed? What the catalog does not know is not open; system schemas never are in it.
 */
export async function areOpen(
  engine: Engine,
  environment: string,
  connection: string,
  places: readonly string[],
): Promise<boolean> {
  const { rows } = await engine.db.$client.query<{ closed: number }>(
    `select count(*)::int as closed from unnest($3::text[]) p(place) where not exists (
       select 1 from mattock.dataset d where d.environment = $1 and d.connection = $2 and not d.closed
         and (d.locator = p.place or exists (select 1 from mattock.file_shape f where f.environment = $1 and f.connection = $2
           and f.path = p.place and f.datasets @> array[d.id])))`,
    [environment, connection, places],
  )
  return places.length > 0 && rows[0]!.closed === 0
}

/**
 * Holds a job whose rows are to be shown to who may only look: what its rosters read must be open.
 * @throws FaultError `forbidden`
 */
export async function refuseClosed(engine: Engine, environment: string, job: Job): Promise<void> {
  for (const { connection, sql, path } of rostersShow(job)) {
    const places = sql === undefined ? plainPath(path) : await tablesIn(sql)
    if (!places || !(await areOpen(engine, environment, connection, places)))
      fail(
        'forbidden',
        `the rows that this job loops over come from ${connection}, of what the catalog does not have, or has closed; who may run jobs sees them`,
        { connection },
      )
  }
}

const plainPath = (path: string | undefined): string[] | undefined =>
  path === undefined || /[{*?]/.test(path) ? undefined : [path]

/** The tables a SELECT reads, its expressions taken for values; undefined where that cannot be said. */
async function tablesIn(sql: string): Promise<string[] | undefined> {
  let text: string
  try {
    text = parseTemplate(sql).map((piece) => (piece.kind === 'literal' ? piece.text : ' null ')).join('') // prettier-ignore
  } catch {
    return undefined
  }
  const found = await tablesOf(text)
  return found && found.reads.length > 0 && found.writes.length === 0 && found.empties.length === 0
    ? [...found.reads]
    : undefined
}
