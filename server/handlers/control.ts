import { controlsOf } from '../../core/job/rosters'
import { asc } from 'drizzle-orm'
import { controlTable } from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import {
  controlHistory,
  countControls,
  findControl,
  knownThings,
  readControl,
  saveControl,
} from '../../engine/control/rows'
import {
  addControlColumn,
  adoptControl,
  changeControl,
  createControl,
  forgetControl,
} from '../../engine/control/tables'
import { documentOf, newestVersions } from '../../engine/jobs/versions'
import { holdShared } from '../everywhere'
import type { Asked, Handlers } from '../handler'
import { plannerOf } from '../planner'
import { mutable } from '../mutable'

/** Which jobs loop over each control table, by the newest version of each. */
async function readers(engine: Engine): Promise<Map<string, string[]>> {
  const by = new Map<string, string[]>()
  for (const version of await newestVersions(engine)) {
    const job = documentOf(version)
    for (const table of controlsOf(job.parts)) by.set(table, [...(by.get(table) ?? []), job.name])
  }
  return by
}

const named = (name: string): string => `control table "${name}"`

/**
 * Holds the rows of a control table to who may change them: those in Mattock's own store are the same in all
 * environments, those in a connection lie in the database of one.
 */
async function holdRows(asked: Asked, name: string): Promise<void> {
  const { connection } = await findControl(asked.engine, name)
  if (connection === null) await holdShared(asked, named(name))
}

export const controlHandlers: Pick<
  Handlers,
  | 'controlTables'
  | 'controlTable'
  | 'editControl'
  | 'controlHistory'
  | 'controlEffect'
  | 'createControl'
  | 'adoptControl'
  | 'changeControl'
  | 'addControlColumn'
  | 'forgetControl'
> = {
  controlTables: async ({ engine }, { query }) => {
    const list = await engine.db.select().from(controlTable).orderBy(asc(controlTable.name))
    const jobs = await readers(engine)
    const { rows: changes } = await engine.db.$client.query<{ table: string; at: string; by: string }>(
      'select distinct on ("table") "table", at, by from mattock.control_change order by "table", id desc',
    )
    const counts = await countControls(engine, list, query.environment)
    const last = new Map(changes.map((change) => [change.table, change]))
    return list.map(({ name, title, schema, table, connection }) => ({
      name,
      title,
      where: `${connection ? `${connection} · ` : ''}${schema}.${table}`,
      rows: counts.get(name) ?? null,
      jobs: jobs.get(name) ?? [],
      changedAt: last.get(name)?.at ?? null,
      changedBy: last.get(name)?.by ?? null,
    }))
  },
  controlTable: async ({ engine }, { params, query }) => {
    const table = await readControl(engine, params.name, query.environment)
    return mutable({
      ...table,
      known: await knownThings(engine, table.rules, query.environment),
      jobs: (await readers(engine)).get(params.name) ?? [],
    })
  },
  editControl: async (asked, { params, query, body }) => {
    const { engine, account } = asked
    await holdRows(asked, params.name)
    const { saved, conflicts } = await saveControl(
      engine,
      params.name,
      query.environment,
      body.edits,
      account.name,
    )
    return { saved, conflicts: [...conflicts] }
  },
  controlEffect: async (asked, { params, query, body }) =>
    mutable(await plannerOf(asked, 'effectOfEdits', params.name, query.environment, body.edits)),
  createControl: async (asked, { body }) => {
    const { engine, account } = asked
    await holdShared(asked, 'a control table')
    const { name, title, columns, key, rows, rules } = body
    await createControl(engine, { name, title, table: { columns, key, rows }, rules, by: account.name })
    return {}
  },
  adoptControl: async (asked, { body, query }) => {
    const { engine } = asked
    await holdShared(asked, 'a control table')
    await adoptControl(engine, { ...body, environment: query.environment })
    return {}
  },
  changeControl: async (asked, { params, query, body }) => {
    const { engine } = asked
    await holdShared(asked, named(params.name))
    await changeControl(engine, params.name, query.environment, body)
    return {}
  },
  addControlColumn: async (asked, { params, query, body }) => {
    const { engine } = asked
    await holdRows(asked, params.name)
    await addControlColumn(engine, params.name, query.environment, body)
    return {}
  },
  forgetControl: async (asked, { params }) => {
    const { engine } = asked
    await holdShared(asked, named(params.name))
    await forgetControl(engine, params.name, (await readers(engine)).get(params.name) ?? [])
    return {}
  },
  controlHistory: async ({ engine }, { params, query }) =>
    (await controlHistory(engine, params.name, query)).map(({ id, at, by, rowKey, before, after }) => ({
      id,
      at,
      by,
      rowKey,
      before: before ?? null,
      after: after ?? null,
    })),
}
