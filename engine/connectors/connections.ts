import { and, eq, sql } from 'drizzle-orm'
import type pg from 'pg'
import { connectorOf, type ConnectionKind } from '../../core/connection/connection'
import { fail } from '../../core/fault'
import type { ConnectionFact } from '../../core/plan/types'
import { prepared } from '../../database/prepared'
import { connection, connectionSetting } from '../../database/schema'
import { keptValue, linesIn, withoutValues, withValues } from '../../core/connection/secretLines'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { decrypt, encrypt } from '../context/secrets'
import type { Opened, Stepper } from './definition'
import { connectorFor, kindOf, openKind } from './index'

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
  const { secret, lines } = unseal(engine, given.secret)
  const { secretLines } = connectorOf(found.connection.kind)
  const settings = secretLines
    ? { ...given.settings, [secretLines]: withValues(String(given.settings[secretLines] ?? ''), lines) }
    : given.settings
  return openKind(found.connection.kind, name, settings, secret, engine)
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
  const rows = await facts(engine.db).execute({ environment })
  return Object.fromEntries(
    rows.map(({ name, kind, cap, setting, needs, reached }) => [
      name,
      { kind, cap, configured: setting !== null, ...(reached ? {} : { unreached: needs }) },
    ]),
  )
}

const facts = prepared((db) =>
  db
    .select({
      name: connection.name,
      kind: connection.kind,
      cap: connection.cap,
      needs: connection.needs,
      reached: sql<boolean>`${connection.needs} = '{}' or exists (select from mattock.worker w where ${connection.needs} <@ w.tags and w.beat_at > clock_timestamp() - interval '1 minute')`,
      setting: connectionSetting.environment,
    })
    .from(connection)
    .leftJoin(
      connectionSetting,
      and(
        eq(connectionSetting.connection, connection.name),
        eq(connectionSetting.environment, sql.placeholder('environment')),
      ),
    )
    .prepare('connections of an environment'),
)

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

/** What is sealed of a connection: its secret, and values of lines that are secrets, too. */
interface Sealed {
  readonly secret: string | undefined
  readonly lines: Readonly<Record<string, string>>
}

/** Before the JSON of what has lines; a secret alone is sealed as it is. */
const withLines = '\u0001'

function unseal({ key }: Engine, sealed: Buffer | null): Sealed {
  const text = sealed ? decrypt(key, sealed) : undefined
  if (text === undefined || !text.startsWith(withLines)) return { secret: text, lines: {} }
  const { secret, lines } = JSON.parse(text.slice(1)) as { secret: string | null; lines: Sealed['lines'] }
  return { secret: secret ?? undefined, lines }
}

function seal({ key }: Engine, { secret, lines }: Sealed): Buffer | null {
  if (Object.keys(lines).length > 0)
    return encrypt(key, withLines + JSON.stringify({ secret: secret ?? null, lines }))
  return secret === undefined ? null : encrypt(key, secret)
}

interface GivenSettings {
  readonly settings: Record<string, string | number>
  /** Left out: the one that is there stays. Empty: it is removed. */
  readonly secret?: string | undefined
}

/**
 * Saves settings for an environment. What is secret stays with whom it was given to: where the settings lead elsewhere,
 * it is asked for again.
 * @throws FaultError `request` where a secret is to go where it was not given for, `unknown-name`, `path` where no
 * store may lie
 */
export async function saveSettings(
  engine: Engine,
  name: string,
  environment: string,
  given: GivenSettings,
  by: string,
): Promise<void> {
  await engine.db.transaction(async (tx) => {
    const [found] = await tx.select().from(connection).where(eq(connection.name, name)).for('update')
    if (!found) fail('unknown-name', `there is no connection "${name}"`)
    const refusal = await kindOf(found.kind).refusal?.(given.settings, engine)
    if (refusal !== undefined) fail('path', `${name}: ${refusal}`, { connection: name })
    const where = and(eq(connectionSetting.connection, name), eq(connectionSetting.environment, environment))
    const [before] = await tx.select().from(connectionSetting).where(where)
    const { secretLines } = connectorOf(found.kind)
    const sealed = merged(engine, found.kind, given, before)
    const settings = secretLines
      ? { ...given.settings, [secretLines]: withoutValues(String(given.settings[secretLines] ?? '')) }
      : given.settings
    const values = {
      settings,
      secret: seal(engine, sealed),
      updatedBy: by,
      updatedAt: new Date().toISOString(),
    }
    await tx
      .insert(connectionSetting)
      .values({ connection: name, environment, ...values })
      .onConflictDoUpdate({
        target: [connectionSetting.connection, connectionSetting.environment],
        set: values,
      })
  })
}

/** What is secret of settings that are saved, of what is given and what was there. */
function merged(
  engine: Engine,
  kind: ConnectionKind,
  { settings, secret }: GivenSettings,
  before: typeof connectionSetting.$inferSelect | undefined,
): Sealed {
  const { givenTo, secretLines, secret: wordOf } = connectorOf(kind)
  const kept = unseal(engine, before?.secret ?? null)
  const [was, is] = [before && givenTo?.(before.settings), givenTo?.(settings)]
  const elsewhere = before !== undefined && was !== is
  const word = wordOf(settings) ?? 'secret'
  if (elsewhere && secret === undefined && kept.secret !== undefined)
    fail('request', `the ${word} was given for ${was}; give it again for ${is}, or empty it`, {
      path: 'secret',
    })
  const lines: Record<string, string> = {}
  for (const { name, value } of secretLines ? linesIn(String(settings[secretLines] ?? '')) : []) {
    const path = `settings.${secretLines}`
    if (value === keptValue && kept.lines[name] === undefined)
      fail('request', `${name}: no value is kept for it; write it`, { path })
    if (value === keptValue && elsewhere)
      fail('request', `${name} was given for ${was}; write it again for ${is}`, { path })
    lines[name] = value === keptValue ? kept.lines[name]! : value
  }
  return { secret: secret === undefined ? kept.secret : secret === '' ? undefined : secret, lines }
}

/** Seals values of lines that were kept as they are by an earlier version. */
export async function sealLines(engine: Engine): Promise<void> {
  const rows = await engine.db.select().from(connectionSetting).innerJoin(connection, eq(connection.name, connectionSetting.connection)) // prettier-ignore
  for (const { connection: of, connection_setting: given } of rows) {
    const { secretLines } = connectorOf(of.kind)
    const open = secretLines ? linesIn(String(given.settings[secretLines] ?? '')) : []
    if (open.some(({ value }) => value !== keptValue))
      await saveSettings(engine, of.name, given.environment, { settings: given.settings }, given.updatedBy)
  }
}
