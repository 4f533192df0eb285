import { asc } from 'drizzle-orm'
import { controlTable } from '../../database/schema'
import type { Engine } from '../../engine/context'
import { controlHistory, readControl, saveControl } from '../../engine/control'
import { newestVersions } from '../../engine/effect'
import { documentOf } from '../../engine/jobs'
import { controlsOf } from '../../core/job/roster'
import type { Handlers } from '../app'
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
  'controlTables' | 'controlTable' | 'editControl' | 'controlHistory' | 'controlEffect'
> = {
  controlTables: async ({ engine }, { query }) => {
    const list = await engine.db.select().from(controlTable).orderBy(asc(controlTable.name))
    const jobs = await readers(engine)
    const { rows: changes } = await engine.db.$client.query<{ table: string; at: string; by: string }>(
      'select distinct on ("table") "table", at, by from mattock.control_change order by "table", id desc',
    )
    return await Promise.all(
      list.map(async ({ name, title, schema, table, connection }) => {
        const last = changes.find((change) => change.table === name)
        return {
          name,
          title,
          where: `${connection ? `${connection} · ` : ''}${schema}.${table}`,
          rows: (await readControl(engine, name, query.environment)).rows.length,
          jobs: jobs.get(name) ?? [],
          changedAt: last?.at ?? null,
          changedBy: last?.by ?? null,
        }
      }),
    )
  },
  controlTable: async ({ engine }, { params, query }) => {
    const table = await readControl(engine, params.name, query.environment)
    return {
      ...table,
      columns: [...table.columns],
      key: [...table.key],
      rows: [...table.rows],
      versions: [...table.versions],
      rules: Object.fromEntries(
        Object.entries(table.rules).map(([column, { one_of, ...rules }]) => [
          column,
          { ...rules, ...(one_of ? { one_of: [...one_of] } : {}) },
        ]),
      ),
      jobs: (await readers(engine)).get(params.name) ?? [],
    }
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
  controlEffect: async ({ options }, { params, query, body }) =>
    mutable(await options.planner.ask('effectOfEdits', params.name, query.environment, body.edits)),
  controlHistory: async ({ engine }, { params }) =>
    (await controlHistory(engine, params.name)).map(({ id, at, by, rowKey, before, after }) => ({
      id,
      at,
      by,
      rowKey,
      before: before ?? null,
      after: after ?? null,
    })),
}
