import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { existsSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { dirname } from 'node:path'
import { fileURLToPath } from 'node:url'
import pg from 'pg'
import { makeHistory } from '../demo/history'
import { DemoClock } from '../demo/clock'
import { keepSending } from '../demo/outside'
import { accounts, organisation, seedDemo } from '../demo/seed'
import { startPostbox, type Postbox } from '../demo/postbox'
import { startStandIns, type StandIns } from '../demo/services'
import { account, apiToken } from '../database/schema'
import { sealLines } from '../engine/connectors/connections'
import { makeHome, openEngine, type Engine } from '../engine/context/engine'
import { openLog } from '../engine/context/logger'
import { hashPassword, makeToken } from '../server/auth'
import { commandAccount, hasPeople, invite } from '../server/invitation'
import { invitationFile } from './state'
import { planApart } from '../engine/planner/process'
import { watchArrived } from '../engine/scheduling/arrived'
import { clockNow } from '../engine/context/clock'
import { startScheduler } from '../engine/scheduling/scheduler'
import { watchAlerts } from '../engine/alerts/look'
import { watchWaits } from '../engine/waiting/look'
import { makeApp } from '../server/app'
import { watchHealth } from '../server/health'
import { endHard, endHardOnFaults } from './hard'
import { sayWeGoOn } from './keep'

const project = join(dirname(fileURLToPath(import.meta.url)), '..')

/** The server process: the API, the pages, and in a demo the work that makes its history. */
export async function serve(): Promise<number> {
  const log = openLog('server')
  const url = process.env.DATABASE_URL
  const data = process.env.MATTOCK_DATA
  if (!url || !data) throw new Error('the server is started by ./mattock start')
  endHardOnFaults()
  const ended = new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, resolve)
    sayWeGoOn(resolve)
  })
  const engine = await openEngine(url, data, 12, log)
  makeHome(engine)
  const health = watchHealth(engine)
  process.on('message', (news: object) => {
    if ('database' in news) health.databaseIs(news.database as Parameters<typeof health.databaseIs>[0])
  })
  const demo = process.env.MATTOCK_DEMO === '1'
  const demoClock = new DemoClock(engine)
  const standIns = demo
    ? { ...(await startStandIns(() => demoClock.now())), postbox: await startPostbox() }
    : undefined
  if (standIns) {
    await firstSeed(engine, url, data, standIns)
    await keepPort(engine, url)
    await keepStandIns(engine, standIns)
  }
  await ensureEnvironments(engine)
  await sealLines(engine)
  await ensureCommandToken(engine, data)
  // whoever starts it is told the address, and no log keeps it
  if (!(await hasPeople(engine))) writeFileSync(invitationFile(data), await invite(engine), { mode: 0o600 })
  const planner = planApart({ entry: process.argv[1]!, log: (message) => log.warn(message) })
  engine.planApart = (person, ask) => planner.ask({ person, patient: true }, 'makePlan', ask)
  if (demo) await demoClock.begin(data)
  const endStarts = process.env.MATTOCK_STARTS === 'off' ? () => Promise.resolve() : startScheduler(engine)
  const endWaits = watchWaits(engine)
  const endArrived = process.env.MATTOCK_STARTS === 'off' ? () => {} : watchArrived(engine)
  const history = new AbortController()
  let progress: { label: string; done: number; total: number } | null = null
  const app = makeApp(
    engine,
    {
      organisation: demo ? organisation : 'Mattock',
      demoAccounts: demo ? accounts.map(({ email, password, role }) => ({ email, password, role })) : [],
      background: () => progress,
      hosts: hostsOf(process.env),
      proxies: listIn(process.env.MATTOCK_PROXIES),
      pages: join(project, 'dist', 'web'),
      planner,
      health,
      checkAnswers: process.env.MATTOCK_CHECK_ANSWERS === '1',
    },
    log,
  )
  // who sends or reads nothing for so long is not waited for; a plan may take two minutes, and wait for its turn
  const server = createServer({ headersTimeout: 15_000, requestTimeout: 60_000 }, app)
  server.setTimeout(180_000)
  server.maxConnections = 5000
  const host = process.env.MATTOCK_HOST ?? '127.0.0.1'
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(Number(process.env.MATTOCK_PORT ?? 0), host, resolve)
  })
  const making =
    demo && !process.env.MATTOCK_NO_HISTORY
      ? makeHistory(
          engine,
          data,
          (done, total) =>
            (progress =
              done < total ? { label: 'making the demo’s history by running its jobs', done, total } : null),
          history.signal,
        ).catch((error: Error) => log.error({ error }, 'the demo’s history stopped'))
      : Promise.resolve()
  let endAlerts = () => {}
  let endSending = () => {}
  // nobody is told of what a demo's history is made of
  const telling = making.then(async () => {
    if (history.signal.aborted) return
    if (demo) {
      const { rate } = await demoClock.goOn(Number(process.env.MATTOCK_FAST ?? 1))
      if (!process.env.MATTOCK_NO_HISTORY)
        endSending = keepSending(
          data,
          () => clockNow(engine),
          Math.max(1000, 20_000 / rate),
          (error) => log.warn({ error }, 'the outside could not send; tried again'),
        )
    }
    const asAlerts = { person: 'alerts' }
    endAlerts = watchAlerts(engine, {
      asks: {
        lookAhead: (ask) => planner.ask(asAlerts, 'lookAhead', ask) as never,
        readArrivals: (ask) => planner.ask(asAlerts, 'readArrivals', ask) as never,
      },
      look: Math.max(3000, 60_000 / demoClock.rate),
      address: process.env.MATTOCK_ADDRESS ?? addressOf(server.address() as AddressInfo),
    })
  })
  await ended
  history.abort()
  endWaits()
  endArrived()
  endAlerts()
  endSending()
  const startsEnded = endStarts()
  health.close()
  standIns?.close()
  standIns?.postbox.close()
  planner.close()
  server.closeAllConnections()
  server.close()
  // whatever still waits for a database that is away ends with this process
  setTimeout(() => endHard(), 3000).unref()
  await telling
  await startsEnded
  await engine.close()
  return 0
}

/** The address of this server as this machine opens it. */
const addressOf = ({ address, port, family }: AddressInfo): string =>
  `http://${family === 'IPv6' ? `[${address}]` : address}:${port}`

/** MATTOCK_HOSTS, names with commas between, and the address that is served where that is one. */
const hostsOf = ({ MATTOCK_HOSTS = '', MATTOCK_HOST = '' }: NodeJS.ProcessEnv): string[] => [
  ...listIn(MATTOCK_HOSTS),
  ...listIn(MATTOCK_HOST),
]

/** What stands between commas. */
const listIn = (text = ''): string[] =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '')

type DemoStandIns = StandIns & { readonly postbox: Postbox }

/** Seeds the demo once; a second start finds it there. */
async function firstSeed(engine: Engine, url: string, data: string, standIns: DemoStandIns): Promise<void> {
  const done = await engine.db.select().from(account).limit(1)
  if (done.length > 0) return
  const at = new URL(url)
  const own = at.pathname.slice(1)
  const prefix = own === 'mattock' ? '' : `${own}_`
  await seedDemo(engine, {
    host: at.hostname,
    port: Number(at.port || 5432),
    user: decodeURIComponent(at.username),
    password: decodeURIComponent(at.password),
    prefix,
    folder: data,
    fieldwork: standIns.fieldwork,
    rainfall: standIns.rainfall,
    smtpPort: standIns.postbox.smtpPort,
    events: standIns.postbox.events,
    definitions: join(project, 'demo', 'definitions'),
    ensure: async (database) => {
      const client = engine.db.$client
      const { rowCount } = await client.query('select 1 from pg_database where datname = $1', [database])
      if (!rowCount) await client.query(`create database ${pg.escapeIdentifier(database)}`)
      return Object.assign(new URL(url), { pathname: `/${database}` }).toString()
    },
  })
  for (const { password, ...rest } of accounts)
    await engine.db.insert(account).values({ ...rest, password: await hashPassword(password) })
}

/** The demo's databases lie on our own server; where its port had to change, so do their settings. */
async function keepPort(engine: Engine, url: string): Promise<void> {
  const at = new URL(url)
  await engine.db.$client.query(
    `update mattock.connection_setting set settings = jsonb_set(settings, '{port}', to_jsonb($1::int))
     where updated_by = 'the demo' and settings ->> 'user' = $2 and settings ->> 'port' is distinct from $1::text`,
    [Number(at.port || 5432), decodeURIComponent(at.username)],
  )
}

/** The stand-ins of outside services come up at another port each time. */
async function keepStandIns(engine: Engine, standIns: DemoStandIns): Promise<void> {
  for (const name of ['fieldwork', 'rainfall'] as const)
    await engine.db.$client.query(
      `update mattock.connection_setting set settings = jsonb_set(settings, '{base}', to_jsonb($2::text)) where connection = $1 and updated_by = 'the demo'`,
      [name, standIns[name]],
    )
  const { smtpPort, events } = standIns.postbox
  await engine.db.$client.query(
    `update mattock.connection_setting set settings = jsonb_set(settings, '{port}', to_jsonb($1::int)) where connection = 'office-post' and updated_by = 'the demo'`,
    [smtpPort],
  )
  await engine.db.$client.query(
    `update mattock.connection_setting set settings = jsonb_set(settings, '{address}', to_jsonb($1::text)) where connection = 'control-room' and updated_by = 'the demo'`,
    [events],
  )
}

/** A token for the command, readable by whoever may read the data folder. */
async function ensureCommandToken(engine: Engine, data: string): Promise<void> {
  const file = join(data, 'command.token')
  const known = await engine.db.select().from(apiToken).limit(1)
  if (existsSync(file) && known.length > 0) return
  const [person] = await engine.db.select({ id: account.id }).from(account).orderBy(account.id).limit(1)
  const id = person?.id ?? (await commandAccount(engine))
  writeFileSync(file, await makeToken(engine, id, 'the command'), { mode: 0o600 })
}

/** What an installation begins with that is no demo. */
async function ensureEnvironments(engine: Engine): Promise<void> {
  await engine.db.$client.query(
    `insert into mattock.environment (name, position, live)
     select * from (values ('dev', 1, false), ('staging', 2, false), ('live', 3, true)) v
     where not exists (select 1 from mattock.environment)`,
  )
}
