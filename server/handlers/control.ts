import { controlsOf } from '../../core/job/rosters'
import { asc } from 'drizzle-orm'
import { controlTable } from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import {
  controlHistory,
  countControls,
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
import type { Handlers } from '../handler'
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
  editControl: async ({ engine, account }, { params, query, body }) => {
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
  createControl: async ({ engine, account }, { body }) => {
    const { name, title, columns, key, rows, rules } = body
    await createControl(engine, { name, title, table: { columns, key, rows }, rules, by: account.name })
    return {}
  },
  adoptControl: async ({ engine }, { body, query }) => {
    await adoptControl(engine, { ...body, environment: query.environment })
    return {}
  },
  changeControl: async ({ engine }, { params, query, body }) => {
    await changeControl(engine, params.name, query.environment, body)
    return {}
  },
  addControlColumn: async ({ engine }, { params, query, body }) => {
    await addControlColumn(engine, params.name, query.environment, body)
    return {}
  },
  forgetControl: async ({ engine }, { params }) => {
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
