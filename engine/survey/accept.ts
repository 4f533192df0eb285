import { and, eq, inArray, isNull, sql } from 'drizzle-orm'
import { drizzle } from 'drizzle-orm/node-postgres'
import type pg from 'pg'
import { fail } from '../../core/fault'
import { editedColumns, settle, type ColumnEdits } from '../../core/catalog/edits'
import type { FoundColumn, FoundDataset } from '../../core/catalog/found'
import { dataset, survey, surveyProposal } from '../../database/catalog'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'

type Known = typeof dataset.$inferSelect

/** What the search looks through, in lower case. */
export function searchText(entry: {
  name: string
  description: string
  owner: string
  tags: readonly string[]
  connection: string
  columns: readonly FoundColumn[]
  edits: ColumnEdits
}): string {
  const columns = editedColumns(entry.columns, entry.edits).flatMap(({ name, source, description, comment }) => [name, source, description ?? '', comment ?? '']) // prettier-ignore
  const texts = [
    entry.name,
    entry.connection,
    entry.description,
    entry.owner,
    ...entry.tags,
    ...new Set(columns),
  ]
  return texts
    .filter((text) => text !== '')
    .join('\n')
    .toLowerCase()
}

/** The part of a locator that does not vary. */
const startOf = (locator: string): string => locator.split(/[*#]/)[0]!

/** Columns that nobody has named yet. */
export const unnamedIn = (columns: readonly FoundColumn[], edits: ColumnEdits): number =>
  editedColumns(columns, edits).filter(({ unnamed }) => unnamed).length

/**
 * Takes proposals of a survey into the catalog, all that are undecided or those of these numbers. Where nobody looks on
 * (`byRule`), each dataset's own rule decides over new columns, and the rest goes on waiting.
 * @throws FaultError `unknown-name` where there is no such survey
 */
export async function acceptProposals(
  engine: Engine,
  surveyId: number,
  numbers: readonly number[] | undefined,
  by: string,
  byRule = false,
): Promise<number> {
  const [of] = await engine.db.select().from(survey).where(eq(survey.id, surveyId))
  if (!of) fail('unknown-name', `there is no survey ${surveyId}`)
  const open = await engine.db
    .select()
    .from(surveyProposal)
    .where(
      and(
        eq(surveyProposal.surveyId, surveyId),
        isNull(surveyProposal.decided),
        numbers ? inArray(surveyProposal.number, [...numbers]) : undefined,
      ),
    )
    .orderBy(surveyProposal.number)
  const at = new Date().toISOString()
  await transaction(engine.db.$client, async (client) => {
    const taken = new Set(
      (
        await client.query<{ name: string }>('select name from mattock.dataset where environment = $1', [
          of.environment,
        ])
      ).rows.map(({ name }) => name),
    )
    const notes: Note[] = []
    for (const { kind, datasetId, found, paths } of open) {
      if (kind === 'new' && found) {
        const name = freeName(found.name, taken)
        taken.add(name)
        const id = await insertDataset(client, of, { ...found, name }, by, at)
        if (id !== undefined) notes.push({ id, found, paths })
      } else if (kind === 'changed' && found && datasetId !== null) {
        const [before] = await drizzle(client)
          .select()
          .from(dataset)
          .where(eq(dataset.id, datasetId))
          .for('update')
        if (!before) continue
        const step = byRule
          ? settle(before.columns, found.columns, before.newColumns)
          : { settled: found.columns, changed: true, waits: null }
        await nextVersion(client, before, found, step, { by, at, survey: surveyId })
        notes.push({ id: datasetId, found, paths })
      } else if (kind === 'gone' && datasetId !== null) {
        await client.query('update mattock.dataset set gone_at = $2, surveyed_at = $2 where id = $1', [
          datasetId,
          at,
        ])
      }
    }
    await noteFacts(client, of, notes, at)
    await client.query(
      `update mattock.survey_proposal set decided = 'accepted' where survey_id = $1 and number = any ($2)`,
      [surveyId, open.map(({ number }) => number)],
    )
  })
  return open.length
}

function freeName(name: string, taken: ReadonlySet<string>): string {
  if (!taken.has(name)) return name
  for (let n = 2; ; n++) if (!taken.has(`${name}_${n}`)) return `${name}_${n}`
}

async function insertDataset(
  client: pg.PoolClient,
  of: { environment: string; connection: string; id: number },
  found: FoundDataset,
  by: string,
  at: string,
): Promise<number | undefined> {
  const search = searchText({
    name: found.name,
    description: found.comment ?? '',
    owner: '',
    tags: [],
    connection: of.connection,
    columns: found.columns,
    edits: {},
  })
  const { rows } = await client.query<{ id: number }>(
    `insert into mattock.dataset (environment, connection, locator, start, kind, name, description, key_found, columns, format, unnamed, surveyed_at, created_at, search)
     values ($1, $2, $3, $13, $4, $5, $6, $7, $8, $9, $10, $11, $11, $12)
     on conflict (environment, connection, locator) do nothing returning id`,
    [
      of.environment, of.connection, found.locator, found.kind, found.name, found.comment ?? '', found.key, JSON.stringify(found.columns),
      JSON.stringify(found.format ?? null), unnamedIn(found.columns, {}), at, search, startOf(found.locator),
    ], // prettier-ignore
  )
  const id = rows[0]?.id
  if (id !== undefined)
    await client.query(
      'insert into mattock.dataset_version (dataset_id, version, columns, at, by, survey_id) values ($1, 1, $2, $3, $4, $5)',
      [id, JSON.stringify(found.columns), at, by, of.id],
    )
  return id
}

async function nextVersion(
  client: pg.PoolClient,
  before: Known,
  found: Pick<FoundDataset, 'columns' | 'locator'> & { format?: FoundDataset['format'] },
  { settled, changed, waits }: ReturnType<typeof settle>,
  { by, at, survey: from }: { by: string; at: string; survey: number },
): Promise<void> {
  const version = before.version + (changed ? 1 : 0)
  if (changed)
    await client.query(
      'insert into mattock.dataset_version (dataset_id, version, columns, at, by, survey_id) values ($1, $2, $3, $4, $5, $6)',
      [before.id, version, JSON.stringify(settled), at, by, from],
    )
  await client.query(
    `update mattock.dataset set columns = $2, version = $3, waits = $4, gone_at = null, surveyed_at = $5, locator = $6, start = $9, unnamed = $7, search = $8 where id = $1`,
    [
      before.id, JSON.stringify(settled), version, waits && JSON.stringify(waits), at, found.locator,
      unnamedIn(settled, before.edits), searchText({ ...before, columns: settled }), startOf(found.locator),
    ], // prettier-ignore
  )
}

interface Note {
  readonly id: number
  readonly found: FoundDataset
  readonly paths: readonly string[]
}

/** Writes down what is no schema: files, bytes, rows, the key found; and which files belong to the dataset. */
async function noteFacts(
  client: pg.PoolClient,
  { environment, connection }: { environment: string; connection: string },
  notes: readonly Note[],
  at: string,
): Promise<void> {
  if (notes.length === 0) return
  const facts = notes.map(({ id, found }) => ({
    id, files: found.files ?? null, bytes: found.bytes ?? null, rows: found.rows ?? null, estimated: found.estimated ?? false,
    key: found.key, format: found.format ?? null,
  })) // prettier-ignore
  await client.query(
    `with fact as (select * from jsonb_to_recordset($1::jsonb) f(id int, files int, bytes bigint, rows bigint, estimated boolean, key text[], format jsonb)),
     counted as (
       insert into mattock.dataset_count (dataset_id, at, rows, bytes, files)
       select f.id, $2, f.rows, f.bytes, f.files from fact f join mattock.dataset d on d.id = f.id
       where (f.rows, f.bytes, f.files) is distinct from (d.rows, d.bytes, d.files) and (f.rows is not null or f.bytes is not null)
       on conflict do nothing)
     update mattock.dataset d set files = f.files, bytes = f.bytes, rows = f.rows, estimated = f.estimated, key_found = f.key,
       format = f.format, surveyed_at = $2
     from fact f where d.id = f.id`,
    [JSON.stringify(facts), at],
  )
  const homes = notes.flatMap(({ id, paths }) => paths.map((path) => ({ id, path })))
  if (homes.length === 0) return
  await client.query(
    `update mattock.file_shape s set datasets = array(select distinct x from unnest(s.datasets || h.ids) x)
     from (select path, array_agg(id) as ids from jsonb_to_recordset($3::jsonb) r(id int, path text) group by path) h
     where s.environment = $1 and s.connection = $2 and s.path = h.path and not s.datasets @> h.ids`,
    [environment, connection, JSON.stringify(homes)],
  )
}

/** Datasets that a survey found as they are known: their facts, and the fresh evidence behind their types. */
export async function noteSame(engine: Engine, same: readonly Note[]): Promise<void> {
  if (same.length === 0) return
  const [first] = await engine.db.select().from(dataset).where(eq(dataset.id, same[0]!.id))
  const at = new Date().toISOString()
  await transaction(engine.db.$client, async (client) => {
    await noteFacts(client, first!, same, at)
    const fresh = same.map(({ id, found }) => ({ id, columns: found.columns }))
    await client.query(
      `update mattock.dataset d set columns = f.columns, waits = null
       from jsonb_to_recordset($1::jsonb) f(id int, columns jsonb) where d.id = f.id and (d.columns is distinct from f.columns or d.waits is not null)`,
      [JSON.stringify(fresh)],
    )
  })
}

/** A person lets proposals be, those of these numbers or all that are open: nothing changes, drift goes on being shown. */
export async function leaveProposals(
  engine: Engine,
  surveyId: number,
  numbers?: readonly number[],
): Promise<number> {
  const left = await engine.db
    .update(surveyProposal)
    .set({ decided: 'left' })
    .where(
      and(
        eq(surveyProposal.surveyId, surveyId),
        isNull(surveyProposal.decided),
        numbers ? inArray(surveyProposal.number, [...numbers]) : undefined,
      ),
    )
    .returning({ number: surveyProposal.number })
  return left.length
}

/**
 * Takes what waits at one dataset into its schema: all of it. The columns come from the newest survey that found them.
 * @throws FaultError where nothing waits
 */
export async function acceptWaiting(engine: Engine, id: number, by: string): Promise<void> {
  const [newest] = await engine.db
    .select()
    .from(surveyProposal)
    .where(and(eq(surveyProposal.datasetId, id), eq(surveyProposal.kind, 'changed')))
    .orderBy(sql`${surveyProposal.surveyId} desc`)
    .limit(1)
  const [before] = await engine.db.select().from(dataset).where(eq(dataset.id, id))
  if (!before?.waits || !newest?.found) fail('not-running', 'nothing waits at this dataset')
  const { found } = newest
  await transaction(engine.db.$client, async (client) => {
    const step = { settled: found.columns, changed: true, waits: null }
    await nextVersion(client, before, found, step, {
      by,
      at: new Date().toISOString(),
      survey: newest.surveyId,
    })
    await client.query(
      `update mattock.survey_proposal set decided = 'accepted' where survey_id = $1 and number = $2`,
      [newest.surveyId, newest.number],
    )
  })
}
