import { lookup } from 'node:dns/promises'
import { connect } from 'node:net'
import { and, eq } from 'drizzle-orm'
import pg from 'pg'
import { kindWords, serviceSettings } from '../../core/connection/connection'
import { fail } from '../../core/fault'
import type { ConnectionFact } from '../../core/plan/types'
import { connection, connectionSetting } from '../../database/schema'
import { storeSteps, type FileStore } from './files/store'
import { servicePages, type Service } from './service/service'
import { targetPool, type Engine } from '../context/engine'
import { decrypt, encrypt } from '../context/secrets'

/** A connection as it stands in one environment, its secret opened. Never leaves the engine. */
export type Opened =
  | { readonly kind: 'postgres'; readonly name: string; readonly config: pg.PoolConfig }
  | { readonly kind: 'files'; readonly name: string; readonly store: FileStore }
  | { readonly kind: 'service'; readonly name: string; readonly service: Service }

/** Settings read a moment ago, so that thousands of small loads do not ask for them each time. */
const recent = new WeakMap<Engine, Map<string, { at: number; opened: Promise<Opened> }>>()
const recentMilliseconds = 2000

/**
 * The connection as it stands, or stood two seconds ago at most.
 * @throws FaultError `connection` where it is not there or has no settings in the environment
 */
export function recentConnection(engine: Engine, name: string, environment: string): Promise<Opened> {
  const known = recent.get(engine) ?? new Map<string, { at: number; opened: Promise<Opened> }>()
  recent.set(engine, known)
  const id = `${environment}\n${name}`
  const entry = known.get(id)
  if (entry && performance.now() - entry.at < recentMilliseconds) return entry.opened
  const opened = openConnection(engine, name, environment)
  known.set(id, { at: performance.now(), opened })
  opened.catch(() => known.delete(id))
  return opened
}

/** @throws FaultError `connection` where it is not there or has no settings in the environment */
export async function openConnection(engine: Engine, name: string, environment: string): Promise<Opened> {
  const [found] = await engine.db
    .select()
    .from(connection)
    .leftJoin(
      connectionSetting,
      and(eq(connectionSetting.connection, connection.name), eq(connectionSetting.environment, environment)),
    )
    .where(eq(connection.name, name))
  if (!found) fail('connection', `there is no connection "${name}"`, { connection: name })
  const given = found.connection_setting
  if (!given) fail('connection', `${name} has no settings in ${environment}`, { connection: name })
  const { settings } = given
  if (found.connection.kind === 'files')
    return { kind: 'files', name, store: { name, root: String(settings.folder) } }
  const secret = given.secret ? decrypt(engine.key, given.secret) : undefined
  if (found.connection.kind === 'service')
    return { kind: 'service', name, service: { name, settings: serviceSettings.parse(settings), secret } }
  return { kind: 'postgres', name, config: postgresConfig(settings, secret) }
}

function postgresConfig(
  settings: Record<string, string | number>,
  password: string | undefined,
): pg.PoolConfig {
  return {
    host: String(settings.host ?? '127.0.0.1'),
    port: Number(settings.port ?? 5432),
    database: String(settings.database ?? ''),
    user: String(settings.user ?? ''),
    password,
    connectionTimeoutMillis: 10_000,
    // a server that drops the link without a word is noticed
    keepAlive: true,
  }
}

function wrongKind(opened: Opened, wanted: Opened['kind']): never {
  return fail(
    'connection',
    `${opened.name} is ${kindWords[opened.kind]}; here ${kindWords[wanted]} is needed`,
    {
      connection: opened.name,
    },
  )
}

/** A pool for a database connection. @throws FaultError `connection` for one of another kind */
export async function openPostgres(engine: Engine, name: string, environment: string): Promise<pg.Pool> {
  const opened = await recentConnection(engine, name, environment)
  if (opened.kind !== 'postgres') wrongKind(opened, 'postgres')
  return targetPool(opened.config)
}

export async function openStore(engine: Engine, name: string, environment: string): Promise<FileStore> {
  const opened = await recentConnection(engine, name, environment)
  if (opened.kind !== 'files') wrongKind(opened, 'files')
  return opened.store
}

export async function openService(engine: Engine, name: string, environment: string): Promise<Service> {
  const opened = await recentConnection(engine, name, environment)
  if (opened.kind !== 'service') wrongKind(opened, 'service')
  return opened.service
}

/** What planning needs to know of every connection. */
export async function connectionFacts(
  engine: Engine,
  environment: string,
): Promise<Record<string, ConnectionFact>> {
  const rows = await engine.db
    .select({
      name: connection.name,
      kind: connection.kind,
      cap: connection.cap,
      setting: connectionSetting.environment,
    })
    .from(connection)
    .leftJoin(
      connectionSetting,
      and(eq(connectionSetting.connection, connection.name), eq(connectionSetting.environment, environment)),
    )
  return Object.fromEntries(
    rows.map(({ name, kind, cap, setting }) => [name, { kind, cap, configured: setting !== null }]),
  )
}

export interface TestStep {
  readonly label: string
  readonly ok: boolean
  readonly detail: string
  readonly milliseconds: number
}

/** Tries a connection step by step and stops at the first that fails. Never throws. */
export async function testConnection(
  engine: Engine,
  name: string,
  environment: string,
): Promise<{ ok: boolean; steps: TestStep[] }> {
  const steps: TestStep[] = []
  const step = async <T>(label: string, work: () => Promise<[T, string]>): Promise<T> => {
    const start = performance.now()
    const took = () => Math.round((performance.now() - start) * 10) / 10
    try {
      const [value, detail] = await work()
      steps.push({ label, ok: true, detail, milliseconds: took() })
      return value
    } catch (error) {
      steps.push({
        label,
        ok: false,
        detail: (error as Error).message || String((error as { code?: string }).code),
        milliseconds: took(),
      })
      throw error
    }
  }
  try {
    const opened = await step('settings', async () => [
      await openConnection(engine, name, environment),
      `found for ${environment}`,
    ])
    if (opened.kind === 'files') await testStore(opened.store, step)
    else if (opened.kind === 'service') await testService(opened.service, step)
    else await testPostgres(opened.config, step)
    return { ok: true, steps }
  } catch {
    return { ok: false, steps }
  }
}

type Stepper = <T>(label: string, work: () => Promise<[T, string]>) => Promise<T>

async function testStore(store: FileStore, step: Stepper): Promise<void> {
  await step('can read', async () => {
    const { files } = await storeSteps(store)
    return [undefined, `${files.toLocaleString('en')} files at the top of ${store.root}`]
  })
}

async function testService(service: Service, step: Stepper): Promise<void> {
  const { base, endpoints } = service.settings
  const { hostname, port, protocol } = new URL(base)
  await testReach(hostname, Number(port || (protocol === 'https:' ? 443 : 80)), step)
  const [path = '/'] = endpoints.split('\n').map((line) => line.trim())
  await step('answers', async () => {
    for await (const { records, bytes } of servicePages(service, path, { limit: 1 }))
      return [
        undefined,
        `${path}: ${records.length} records in the first page, ${bytes.toLocaleString('en')} bytes`,
      ]
    return [undefined, `${path}: no page`]
  })
}

async function testReach(host: string, port: number, step: Stepper): Promise<void> {
  await step('name resolves', async () => {
    const { address } = await lookup(host)
    return [undefined, `${host} is ${address}`]
  })
  await step(
    'port answers',
    () =>
      new Promise<[undefined, string]>((resolve, reject) => {
        const socket = connect({ host, port, timeout: 5000 })
        socket.once('connect', () => {
          socket.destroy()
          resolve([undefined, `port ${port}`])
        })
        socket.once('timeout', () => reject(new Error(`port ${port} does not answer within 5 s`)))
        socket.once('error', reject)
      }),
  )
}

async function testPostgres(config: pg.PoolConfig, step: Stepper): Promise<void> {
  await testReach(String(config.host), Number(config.port), step)
  const client = new pg.Client(config)
  client.on('error', () => {})
  try {
    await step('signs in', async () => {
      await client.connect()
      const { rows } = await client.query<{ version: string }>(
        "select split_part(version(), ' on ', 1) as version",
      )
      return [undefined, `as ${config.user}; the server is ${rows[0]!.version}`]
    })
    await step('can read', async () => {
      const { rows } = await client.query<{ tables: number }>(
        `select count(*)::int as tables from pg_class c join pg_namespace n on n.oid = c.relnamespace
         where c.relkind in ('r', 'p', 'v', 'm') and n.nspname !~ '^(pg_|information_schema)'
           and has_schema_privilege(n.oid, 'usage') and has_table_privilege(c.oid, 'select')`,
      )
      return [undefined, `${rows[0]!.tables} tables and views`]
    })
    await step('can write', async () => {
      const { rows } = await client.query<{ ok: boolean; database: string }>(
        `select has_database_privilege(current_database(), 'create') as ok, current_database() as database`,
      )
      if (!rows[0]!.ok)
        throw new Error(`may not make schemas in ${rows[0]!.database}; it can be read from only`)
      return [undefined, `may make schemas in ${rows[0]!.database}`]
    })
  } finally {
    await client.end().catch(() => {})
  }
}

/** Saves settings for an environment. A secret left out keeps the one that is there; an empty one removes it. */
export async function saveSettings(
  engine: Engine,
  name: string,
  environment: string,
  given: { settings: Record<string, string | number>; secret?: string | undefined },
  by: string,
): Promise<void> {
  const sealed =
    given.secret === undefined ? undefined : given.secret === '' ? null : encrypt(engine.key, given.secret)
  const values = {
    settings: given.settings,
    updatedBy: by,
    updatedAt: new Date().toISOString(),
    ...(sealed === undefined ? {} : { secret: sealed }),
  }
  await engine.db
    .insert(connectionSetting)
    .values({ connection: name, environment, ...values })
    .onConflictDoUpdate({
      target: [connectionSetting.connection, connectionSetting.environment],
      set: values,
    })
}
