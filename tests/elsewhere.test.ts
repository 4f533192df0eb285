import { createHash } from 'node:crypto'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { addressOf, type Route } from '../contract/route'
import { routes, type Routes } from '../contract/routes'
import { may, type Role } from '../core/rights'
import { account } from '../database/schema'
import { saveJob, versionIn, versionsIn } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { syncStarts } from '../engine/scheduling/states'
import { ensureMarks } from '../engine/writing/since'
import { hashPassword, makeToken } from '../server/auth'
import { testServer, type TestServer } from './support/server'

// What an operation changes elsewhere: each that may change something is called, so that it does what it is for, by each
// mix of rights; the state of every environment in which its caller may not do that is the same before and after.

let server: TestServer
const both = ['dev', 'live'] as const
const text = (words: string, name = 'feeds-in') => `
mattock: job/1
name: ${name}
title: Feeds in
starts:
  - {id: night, clock: {cron: '0 3 * * *', zone: UTC}}
  - {id: outside, called: {}}
parts:
  - each: {roster: {control: feeds}}
    do:
      - {id: say, log: {text: '${words} {row.feed}'}}
`
const rule = (environment: string) => ({ name: `of-${environment}`, title: 'Of it', in: [environment], tells: { matters: { about: ['failed'] } }, to: [{ mail: { on: 'post', to: 'a@test.example' } }] }) // prettier-ignore

const adoptOwn = () => server.keeper.call(routes.adoptControl, { query: { environment: 'dev' }, body: { name: 'own_feeds', title: 'Own', connection: 'warehouse', schema: 'public', table: 'own_feeds' } }) // prettier-ignore

beforeAll(async () => {
  server = await testServer()
  await server.keeper.call(routes.createControl, { body: { name: 'feeds', title: 'Feeds', columns: [{ name: 'feed', type: 'text' }], key: ['feed'], rows: [{ feed: 'a' }], rules: {} } }) // prettier-ignore
  await server.rows(
    'create table public.own_feeds (feed text primary key); insert into public.own_feeds values (1)',
  )
  await adoptOwn()
  await ensureMarks(server.warehouse)
  await server.own(`insert into mattock.connection (name, kind, title) values ('post', 'mail', 'Post')`)
  await server.own(`insert into mattock.dataset (environment, connection, locator, start, kind, name, columns, surveyed_at) values ('dev', 'warehouse', 'public.own_feeds', 'public.own_feeds', 'table', 'own', '[{"name":"feed","type":"text"}]', now())`) // prettier-ignore
  await saveJob(server.engine, text('first'), { by: 'test' })
  await saveJob(server.engine, text('first', 'other'), { by: 'test' })
})
afterAll(() => server.close())

/** All that the store knows of an environment, and what of it no environment is named beside. */
async function stateOf(environment: string, definitionsOnly: boolean): Promise<Record<string, string>> {
  await syncStarts(server.engine)
  const state: Record<string, string> = {}
  const keep = (name: string, rows: unknown) => (state[name] = createHash('sha256').update(JSON.stringify(rows)).digest('hex').slice(0, 12)) // prettier-ignore
  const tables = await server.own(
    `select c.table_name as name, (select string_agg(column_name, ', ') from information_schema.columns k where k.table_schema = 'mattock' and k.table_name = c.table_name and k.column_name not in ('at', 'looked_at', 'next_at', 'since', 'by')) as columns
     from information_schema.columns c where c.table_schema = 'mattock' and c.column_name = 'environment' order by 1`,
  )
  const moving = ['plan', 'run', 'try', 'job_put', 'start_state', 'occasion', 'alert_watch', 'alert_span']
  for (const { name, columns } of tables as { name: string; columns: string }[])
    if (!moving.includes(name) && !definitionsOnly)
      keep(name, await server.own(`select ${columns.replaceAll(/\b(from|to|key|start|check|file)\b/g, '"$1"')} from mattock.${name} where environment = $1 order by 1, 2`, [environment])) // prettier-ignore
  keep('what runs', (await versionsIn(server.engine, environment)).map(({ job, version, text: own }) => [job, version, own])) // prettier-ignore
  keep('starts', await server.own('select job, start, version_id, fingerprint from mattock.start_state where environment = $1 order by 1, 2', [environment])) // prettier-ignore
  if (!definitionsOnly) keep('runs', await server.own('select id, state, job from mattock.run where environment = $1 order by 1', [environment])) // prettier-ignore
  keep('rows', await server.own('select * from control.feeds order by 1'))
  keep('tables', await server.own('select * from mattock.control_table order by name'))
  keep('columns', await server.own(`select table_name, column_name from information_schema.columns where table_schema = 'control' order by 1, 2`)) // prettier-ignore
  keep('connections', await server.own('select * from mattock.connection order by name'))
  return state
}

interface Mix {
  readonly role: Role
  readonly environments: Readonly<Record<string, Role>>
}
const mixes: readonly Mix[] = [
  { role: 'engineer', environments: { live: 'reader' } },
  { role: 'engineer', environments: { live: 'operator' } },
  { role: 'reader', environments: { dev: 'engineer' } },
  { role: 'operator', environments: { dev: 'engineer' } },
  { role: 'reader', environments: { dev: 'operator' } },
  { role: 'reader', environments: { live: 'engineer' } },
  { role: 'reader', environments: {} },
]
const inWords = ({ role, environments }: Mix) =>
  [role, ...Object.entries(environments).map(([name, own]) => `${own} in ${name}`)].join(', ')

let turn = 0
async function who(mix: Mix) {
  const [made] = await server.engine.db.insert(account).values({ ...mix, email: `mix-${++turn}@test.example`, name: inWords(mix), password: await hashPassword('ten letters') }).returning() // prettier-ignore
  const token = await makeToken(server.engine, made!.id, 'test')
  return async (route: Route, given: Given) => {
    const response = await fetch(`${server.address}${addressOf(route, given.params as never, given.query as never)}`, {
      method: route.method.toUpperCase(),
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      ...(route.method === 'get' ? {} : { body: JSON.stringify(given.body ?? {}) }),
    }) // prettier-ignore
    await response.text()
    return response.status
  }
}

interface Given {
  readonly params?: object
  readonly query?: object
  readonly body?: object
}
type Name = keyof Routes
const planOf = async (environment: string, version?: number) =>
  (await makePlan(server.engine, { job: 'feeds-in', environment, parameters: {}, by: 'test', ...(version ? { version } : {}) })).id // prettier-ignore
/** An operation that may change something, called in an environment so that it does. */
const operations: Partial<Record<Name, (environment: string, n: number) => Given | Promise<Given>>> = {
  saveJob: (_environment, n) => ({ params: { name: 'feeds-in' }, body: { text: text(`saved ${n}`) } }),
  putJob: async (environment) => {
    const { version } = await versionIn(server.engine, 'other', environment)
    const saved = await saveJob(server.engine, text(`put ${version}`, 'other'), { by: 'test', into: [] })
    return { params: { name: 'other', environment }, body: { version: saved.version } }
  },
  bringInJobs: (environment, n) => ({ body: { documents: [{ file: 'feeds-in.yaml', text: text(`brought ${n}`) }], environment, given: {} } }), // prettier-ignore
  editControl: (environment, n) => ({ params: { name: 'feeds' }, query: { environment }, body: { edits: [{ kind: 'add', set: { feed: `feed ${n}` } }] } }), // prettier-ignore
  createControl: (_environment, n) => ({ body: { name: `made_${n}`, title: 'Made', columns: [{ name: 'a', type: 'text' }], key: ['a'], rows: [], rules: {} } }), // prettier-ignore
  adoptControl: (environment, n) => ({ query: { environment }, body: { name: `taken_${n}`, title: 'Taken', connection: 'warehouse', schema: 'public', table: 'own_feeds' } }), // prettier-ignore
  changeControl: (environment, n) => ({ params: { name: 'feeds' }, query: { environment }, body: { title: `Feeds ${n}`, rules: {} } }), // prettier-ignore
  addControlColumn: (environment, n) => ({ params: { name: 'feeds' }, query: { environment }, body: { name: `more_${n}`, type: 'text' } }), // prettier-ignore
  forgetControl: () => ({ params: { name: 'own_feeds' } }),
  makeOneJob: (_environment, n) => ({ body: { datasets: [1], job: `one-${n}`, title: 'One', control: `one_${n}`, connection: 'warehouse', schema: 'public', write: 'append', atOnce: 1, trim: false } }), // prettier-ignore
  startRun: async (environment) => ({ body: { plan: await planOf(environment) } }),
  pauseStarts: (environment, n) => ({ body: { environment, why: `pause ${n}` } }),
  keepMatter: (environment, n) => ({
    body: { environment, key: `matter ${n}`, title: 'a matter', note: 'seen' },
  }),
  saveAlert: (environment) => ({ body: { rule: rule(environment), before: null } }),
  answerArrival: (environment, n) => ({ body: { environment, job: 'feeds-in', part: '1', row: `r${n}`, from: '2026-01-01T00:00:00Z', kind: 'never', why: 'it is gone' } }), // prettier-ignore
  makeCallKey: async (environment) => {
    await saveJob(server.engine, text('called'), { by: 'test', into: [environment] })
    await syncStarts(server.engine)
    return { body: { environment, job: 'feeds-in', start: 'outside' } }
  },
  startSurvey: (environment) => ({ body: { environment, connection: 'drop', scope: { places: [], include: [], exclude: [], prefix: '' }, unattended: false } }), // prettier-ignore
  keepForMe: (environment) => ({ body: { environment } }),
  setMark: async (environment, n) => {
    await server.rows(`insert into mattock.load_mark (installation, environment, name, value) values ($1, $2, $3, '1')`, [server.engine.installation, environment, `mark ${n}`]) // prettier-ignore
    return {
      body: { environment, connection: 'warehouse', mark: `mark ${n}`, from: '1', to: '2', why: 'by hand' },
    }
  },
}

/** Operations that are not called here, and why they change nothing of an environment that their caller's rights are not of. */
const others: Partial<Record<Name, string>> = Object.fromEntries([
  ...['endSignIn', 'makeToken', 'takeToken', 'signIn', 'invitation', 'signOut'].map((name) => [name, 'of a person alone']),
  ...['invitePerson', 'changePerson', 'removePerson', 'keepFor', 'tidy', 'drainWorker', 'addConnection', 'changeConnection', 'removeConnection', 'saveSettings'].map((name) => [name, 'needs the house']),
  ...['draftOneJob', 'checkDocuments', 'controlEffect', 'builtOn', 'makePlan', 'forecastPlan', 'playAlert', 'playStarts', 'previewStarts', 'checkJob', 'resolveJob', 'jobEffect', 'previewRoster', 'mapping', 'rerunOutlook', 'testConnection'].map((name) => [name, 'only looks']),
  ...['decideProposals', 'stopSurvey', 'resumeSurvey', 'editDataset', 'acceptDrift', 'profileDataset', 'takeTableSchema', 'mend', 'stopRun', 'holdRun', 'goOn', 'setAside', 'giveUpFailed', 'letGo', 'putFirst', 'leaveOut', 'goOnTry', 'stopTry', 'clearTry', 'endPause', 'rerun', 'planAnew'].map((name) => [name, 'of a thing that lies in one environment; tests/rights.test.ts']),
  ...['dropAlert', 'setAlert', 'tryAlert', 'sendAlertAgain'].map((name) => [name, 'as saveAlert']),
  ...['dropArrivalAnswer', 'dropCallKey', 'startTry'].map((name) => [name, 'of the environment that it names, as its sibling']),
  ['callStart', 'signed with the key of one start'],
]) // prettier-ignore

it('every operation that may change something is called here, or it is said why not', () => {
  const all = (Object.entries(routes) as [Name, Route][]).filter(([, route]) => route.method !== 'get')
  expect(all.map(([name]) => name).filter((name) => !operations[name] && !others[name])).toEqual([])
})

let n = 0
it.each(Object.keys(operations) as Name[])('%s does something where its caller may do it', async (name) => {
  const all = await who({ role: 'engineer', environments: {} })
  expect(await all(routes[name] as Route, await operations[name]!('dev', ++n))).toBe(200)
  if (name === 'forgetControl') await adoptOwn()
})
describe.each(mixes.map((mix) => [inWords(mix), mix] as const))('%s', (_words, mix) => {
  let call: Awaited<ReturnType<typeof who>>
  beforeAll(async () => {
    call = await who(mix)
  })
  beforeEach(() => server.own('delete from mattock.alert_rule'))
  it.each(Object.keys(operations) as Name[])('%s changes nothing where they may not', async (name) => {
    const route = routes[name] as Route
    const right = route.needs as 'look' | 'run' | 'build'
    for (const at of both) {
      const given = await operations[name]!(at, ++n)
      // who may do it there changes that one; what only runs things changes no definition
      const kept = both.filter((one) => !may(mix, right, one) || (one !== at && route.method !== 'get'))
      const before = await Promise.all(kept.map((one) => stateOf(one, may(mix, right, one))))
      await call(route, given)
      const after = await Promise.all(kept.map((one) => stateOf(one, may(mix, right, one))))
      for (const [i, one] of kept.entries())
        if (!(may(mix, 'build', one) && right === 'build')) expect([name, at, one, after[i]]).toEqual([name, at, one, before[i]]) // prettier-ignore
    }
  })
})

describe('what runs in an environment', () => {
  it('moves where the writer may build, and stays elsewhere until somebody puts it there', async () => {
    await saveJob(server.engine, text('stays'), { by: 'test' })
    const before = await versionIn(server.engine, 'feeds-in', 'live')
    const holm = await who({ role: 'engineer', environments: { live: 'operator' } })
    expect(
      await holm(routes.saveJob, { params: { name: 'feeds-in' }, body: { text: text('new words') } }),
    ).toBe(200)
    const saved = await server.keeper.call(routes.job, { params: { name: 'feeds-in' } })
    expect(saved.runsIn).toMatchObject([
      { environment: 'dev', version: saved.newest, by: 'engineer, operator in live' },
      { environment: 'live', version: before.version },
    ])
    // a plan for live is of what runs there; one of another version is run by who may put it there
    expect((await makePlan(server.engine, { job: 'feeds-in', environment: 'live', parameters: {}, by: 'x' })).version.version).toBe(before.version) // prettier-ignore
    const newer = await planOf('live', saved.newest)
    expect(await holm(routes.startRun, { body: { plan: newer } })).toBe(403)
    expect(await holm(routes.startRun, { body: { plan: await planOf('live') } })).toBe(200)
    expect(await holm(routes.putJob, { params: { name: 'feeds-in', environment: 'live' }, body: { version: saved.newest } })).toBe(403) // prettier-ignore
    await server.engineer.call(routes.putJob, { params: { name: 'feeds-in', environment: 'live' }, body: { version: saved.newest } }) // prettier-ignore
    expect((await versionIn(server.engine, 'feeds-in', 'live')).version).toBe(saved.newest)
    // and back again
    await server.engineer.call(routes.putJob, { params: { name: 'feeds-in', environment: 'live' }, body: { version: before.version } }) // prettier-ignore
    expect((await versionIn(server.engine, 'feeds-in', 'live')).version).toBe(before.version)
    await syncStarts(server.engine)
    const [start] = await server.own(`select v.version from mattock.start_state s join mattock.job_version v on v.id = s.version_id where s.job = 'feeds-in' and s.environment = 'live'`) // prettier-ignore
    expect(start).toEqual({ version: before.version })
  })

  it('a job that is new in dev is not in live: no start of it, and a plan says so', async () => {
    const only = await who({ role: 'reader', environments: { dev: 'engineer' } })
    expect(await only(routes.saveJob, { params: { name: 'only-dev' }, body: { text: text('x', 'only-dev'), base: 0 } })).toBe(200) // prettier-ignore
    await syncStarts(server.engine)
    expect(await server.own(`select distinct environment from mattock.start_state where job = 'only-dev'`)).toEqual([{ environment: 'dev' }]) // prettier-ignore
    const fault = await server.keeper.fault(routes.makePlan, { body: { job: 'only-dev', environment: 'live', parameters: {} } }) // prettier-ignore
    expect(fault).toMatchObject({ status: 404, message: 'job "only-dev" is not in live: nobody has put a version of it there' }) // prettier-ignore
  })
})
