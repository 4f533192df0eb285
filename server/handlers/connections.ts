import { asc, eq } from 'drizzle-orm'
import { connectorOf } from '../../core/connection/connection'
import { fail } from '../../core/fault'
import { connection, environment } from '../../database/schema'
import { saveSettings, testConnection } from '../../engine/connectors/connections'
import type { Handlers } from '../handler'

export const connectionHandlers: Pick<
  Handlers,
  | 'connections'
  | 'addConnection'
  | 'changeConnection'
  | 'removeConnection'
  | 'saveSettings'
  | 'testConnection'
> = {
  connections: async ({ engine }, { query }) => {
    const list = await engine.db.select().from(connection).orderBy(asc(connection.name))
    // the secret itself is not even read
    const { rows: settings } = await engine.db.$client.query<{
      connection: string
      environment: string
      settings: Record<string, string | number>
      hasSecret: boolean
      updatedAt: string
      updatedBy: string
    }>(
      `select s.connection, s.environment, s.settings, s.secret is not null as "hasSecret", s.updated_at as "updatedAt", s.updated_by as "updatedBy"
       from mattock.connection_setting s join mattock.environment e on e.name = s.environment order by e.position`,
    )
    const { rows: active } = await engine.db.$client.query<{ name: string; n: number }>(
      `select c.name, count(*)::int as n from mattock.load l join mattock.run r on r.id = l.run_id
         join mattock.run_lane n on n.run_id = l.run_id and n.part = l.part and n.lane = l.lane, unnest(n.connections) c(name)
       where l.state = 'running' and r.environment = $1 group by 1`,
      [query.environment],
    )
    return list.map((entry) => ({
      ...entry,
      active: active.find(({ name }) => name === entry.name)?.n ?? 0,
      settings: settings
        .filter(({ connection: of }) => of === entry.name)
        .map(({ connection: _, hasSecret, ...rest }) => ({
          ...rest,
          // values of headers are sealed beside it
          hasSecret: hasSecret && connectorOf(entry.kind).secret(rest.settings) !== undefined,
        })),
    }))
  },
  addConnection: async ({ engine }, { body }) => {
    const added = await engine.db.insert(connection).values(body).onConflictDoNothing().returning()
    if (added.length === 0) fail('conflict', `there is a connection "${body.name}" already`)
    return {}
  },
  changeConnection: async ({ engine }, { params, body }) => {
    const changed = await engine.db
      .update(connection)
      .set(body)
      .where(eq(connection.name, params.name))
      .returning()
    if (changed.length === 0) fail('unknown-name', `there is no connection "${params.name}"`)
    await engine.db.$client.query('select mattock.call_workers()')
    return {}
  },
  removeConnection: async ({ engine }, { params }) => {
    await engine.db.delete(connection).where(eq(connection.name, params.name))
    return {}
  },
  saveSettings: async ({ engine, account }, { params, body }) => {
    const [found] = await engine.db.select().from(connection).where(eq(connection.name, params.name))
    if (!found) fail('unknown-name', `there is no connection "${params.name}"`)
    const [place] = await engine.db
      .select({ name: environment.name })
      .from(environment)
      .where(eq(environment.name, params.environment))
    if (!place) fail('unknown-name', `there is no environment "${params.environment}"`)
    const { data: settings, error } = connectorOf(found.kind).settings.safeParse(body.settings)
    if (error) {
      const [issue] = error.issues
      const path = issue?.path.join('.') || (issue as { keys?: string[] } | undefined)?.keys?.[0] || ''
      fail('request', `${path}: ${issue?.message ?? 'cannot be read'}`, { path })
    }
    await saveSettings(engine, params.name, params.environment, { ...body, settings }, account.name)
    return {}
  },
  testConnection: async ({ engine }, { params, body }) =>
    await testConnection(engine, params.name, body.environment),
}
