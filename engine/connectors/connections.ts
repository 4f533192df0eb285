import { and, eq } from 'drizzle-orm'
import type pg from 'pg'
import { connectorOf, type ConnectionKind } from '../../core/connection/connection'
import { fail } from '../../core/fault'
import type { ConnectionFact } from '../../core/plan/types'
import { connection, connectionSetting } from '../../database/schema'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { decrypt, encrypt } from '../context/secrets'
import type { Opened, Stepper } from './definition'
import { connectorFor, openKind } from './index'

/** Settings read a moment ago, so that thousands of small loads do not ask for them each time. */
const recent = memory<Opened>(500, 2000)

/**
 * The connection as it stands, or stood two seconds ago at most.
 * @throws FaultError `connection` where it is not there or has no settings in the environment
 */
export const recentConnection = (engine: Engine, name: string, environment: string): Promise<Opened> =>
  recent.of(engine, `${environment}\n${name}`, () => openConnection(engine, name, environment))

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
  const secret = given.secret ? decrypt(engine.key, given.secret) : undefined
  return openKind(found.connection.kind, name, given.settings, secret, engine)
}

/**
 * A connection of one kind, as it stood two seconds ago at most.
 * @throws FaultError `connection` for one that is not there, has no settings, or is of another kind
 */
export async function openAs<K extends ConnectionKind>(
  engine: Engine,
  kind: K,
  name: string,
  environment: string,
): Promise<Opened<K>> {
  const opened = await recentConnection(engine, name, environment)
  if (opened.kind !== kind)
    fail(
      'connection',
      `${name} is ${connectorOf(opened.kind).words}; here ${connectorOf(kind).words} is needed`,
      { connection: name },
    )
  return opened as unknown as Opened<K>
}

/** A pool for a database connection. @throws FaultError `connection` for one of another kind */
export async function openPostgres(engine: Engine, name: string, environment: string): Promise<pg.Pool> {
  return (await openAs(engine, 'postgres', name, environment)).pool()
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
  const step: Stepper = async (label, work) => {
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
    await connectorFor(opened).test(opened, step)
    return { ok: true, steps }
  } catch {
    return { ok: false, steps }
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
