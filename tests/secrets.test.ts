import { execFile, spawn, type ChildProcess } from 'node:child_process'
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http'
import { readdirSync, readFileSync, statSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { endChild } from '../cli/keep'
import { addressOf, type Route } from '../contract/route'
import { plainRoutes } from '../contract/plain'
import { routes } from '../contract/routes'
import { openConnection, sealLines } from '../engine/connectors/connections'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { testServer, type TestServer } from './support/server'

// a word that stands nowhere else is put into every secret there is; then everything that can be read is searched

const marker = 'Zq7-swordfish-4Kx'
const program = join(import.meta.dirname, '../dist/main.js')
let server: TestServer
let token = ''
let service: Server
let base = ''
const heard: IncomingHttpHeaders[] = []
let worker: ChildProcess
let said = ''

beforeAll(async () => {
  server = await testServer()
  service = createServer((request, response) => {
    heard.push(request.headers)
    response.setHeader('content-type', 'application/json')
    response.end('[{"id": 1}]')
  })
  await new Promise<void>((resolve) => service.listen(0, '127.0.0.1', resolve))
  base = `http://127.0.0.1:${(service.address() as AddressInfo).port}/api`
  ;({ token } = await server.keeper.call(routes.makeToken, {
    body: { name: 'script', atMost: 'house', days: 1 },
  }))
  worker = spawn(process.execPath, [program, 'worker', '--data', server.folder], {
    env: { ...process.env, DATABASE_URL: server.url, MATTOCK_LOG: 'trace' },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  for (const stream of [worker.stdout!, worker.stderr!])
    stream.on('data', (chunk: Buffer) => (said += chunk.toString()))
})
afterAll(async () => {
  await endChild(worker, 20_000)
  service.close()
  await server.close()
})

const settings = (more: object = {}) => ({
  base,
  headers: `X-Key: ${marker}-header\nX-Plain: ${marker}-plain`,
  sign_in: 'token',
  endpoints: '/rows',
  ...more,
})

async function setUp(): Promise<void> {
  const { keeper } = server
  const at = new URL(server.warehouseUrl)
  await server.rows(`create role marked login password '${marker}-password'`)
  await server.rows(`grant all on database ${at.pathname.slice(1)} to marked`)
  await server.rows(`grant all on schema public to marked`)
  for (const [name, kind] of [['things', 'service'], ['marked', 'postgres'], ['refused', 'postgres'], ['alarms', 'webhook'], ['post', 'mail']] as const)
    await keeper.call(routes.addConnection, { body: { name, kind, title: name, cap: null } }) // prettier-ignore
  await keeper.call(routes.saveSettings, { params: { name: 'things', environment: 'dev' }, body: { settings: settings(), secret: `${marker}-token` } }) // prettier-ignore
  await keeper.call(routes.saveSettings, { params: { name: 'alarms', environment: 'dev' }, body: { settings: { address: `${base}/events` }, secret: `${marker}-key` } }) // prettier-ignore
  const post = { host: '127.0.0.1', port: 9, security: 'none', user: 'loads', from: 'a@ostrel.example' }
  await keeper.call(routes.saveSettings, { params: { name: 'post', environment: 'dev' }, body: { settings: post, secret: `${marker}-mail` } }) // prettier-ignore
  const place = { host: at.hostname, port: Number(at.port), database: at.pathname.slice(1) }
  await keeper.call(routes.saveSettings, { params: { name: 'marked', environment: 'dev' }, body: { settings: { ...place, user: 'marked' }, secret: `${marker}-password` } }) // prettier-ignore
  await keeper.call(routes.saveSettings, { params: { name: 'refused', environment: 'dev' }, body: { settings: { ...place, user: 'nobody' }, secret: `${marker}-wrong` } }) // prettier-ignore
}

const job = `
mattock: job/1
name: uses-secrets
title: Uses secrets
parts:
  - once:
      - id: from-service
        transfer:
          from: {service: things, path: /rows}
          into: {connection: marked, table: public.things, write: replace-all}
      - id: told
        notify: {webhook: {on: alarms, text: loaded}}
      - id: fails
        sql: {on: refused, text: 'select 1'}
`

describe('a secret', () => {
  let run = 0
  it('is used', async () => {
    await setUp()
    await saveJob(server.engine, job, { by: 'test' })
    const { id } = await makePlan(server.engine, {
      job: 'uses-secrets',
      environment: 'dev',
      parameters: {},
      by: 'test',
    })
    run = await startRun(server.engine, { plan: id, by: 'test' })
    await server.ended(run)
    for (const name of ['things', 'marked', 'refused', 'alarms', 'post'])
      await server.keeper.call(routes.testConnection, { params: { name }, body: { environment: 'dev' } })
    for (const connection of ['things', 'marked'])
      await server.keeper.call(routes.startSurvey, { body: { environment: 'dev', connection, scope: { include: [], exclude: [], prefix: '' } } as never }) // prettier-ignore
    // what the surveys ask comes too
    await expect.poll(async () => (await server.own(`select 1 from mattock.survey where state in ('waiting', 'running')`)).length).toBe(0) // prettier-ignore
    expect(heard.some((headers) => headers.authorization === `Bearer ${marker}-token` && headers['x-key'] === `${marker}-header`)).toBe(true) // prettier-ignore
    expect(heard.some(({ signature }) => signature !== undefined)).toBe(true)
    expect(await server.own('select state, error from mattock.load where run_id = $1', [run])).toMatchObject([{ state: 'failed', error: { step: 'fails' } }]) // prettier-ignore
    expect(await server.rows('select id::int from public.things')).toEqual([{ id: 1 }])
  })

  it('is in no answer', async () => {
    const [load] = await server.own('select id from mattock.load where run_id = $1', [run])
    const [survey] = await server.own('select max(id) as id from mattock.survey')
    const params = { id: run, load: load!.id, name: 'things', number: 0, kind: 'runs', position: 0 }
    const query = { environment: 'dev', path: '', step: 'from-service', with: run, text: 'things', limit: 50 }
    for (const [name, route] of [...Object.entries(routes), ...Object.entries(plainRoutes)] as [
      string,
      Route,
    ][]) {
      if (route.method !== 'get' || name === 'events') continue
      for (const own of [
        params,
        { ...params, id: survey!.id, name: 'marked' },
        { ...params, id: 1, name: 'uses-secrets' },
      ]) {
        const answer = await server.keeper.fetch(addressOf(route, own, query))
        expect([name, await answer.text()]).toEqual([name, expect.not.stringContaining(marker)])
      }
    }
    const shown = await server.keeper.call(routes.connections, { query: { environment: 'dev' } })
    expect(shown.find(({ name }) => name === 'things')!.settings[0]!.settings.headers).toBe(
      'X-Key: ••••\nX-Plain: ••••',
    )
  })

  it('is in nothing that is taken out, nor in what a command says', async () => {
    const mattock = (...args: string[]) =>
      promisify(execFile)(process.execPath, [program, ...args], {
        env: { ...process.env, MATTOCK_URL: server.address, MATTOCK_TOKEN: token },
      })
    const out = await mattock('get', '--all')
    expect(out.stdout).toContain('name: things')
    expect(out.stdout + out.stderr).not.toContain(marker)
    expect(
      JSON.stringify(await mattock('show', String(run), '--json').catch((error: object) => error)),
    ).not.toContain(marker)
  })

  it('is in no log, not even where all is logged', () => {
    expect(said).toContain('"part":"worker"')
    expect(said).not.toContain(marker)
  })

  it('is in no table as it is, and in no file', async () => {
    const tables = await server.own(`select table_schema as s, table_name as t from information_schema.tables where table_schema in ('mattock', 'graphile_worker', 'control') and table_type = 'BASE TABLE'`)
    for (const { s, t } of tables) {
      const rows = await server.own(`select count(*)::int as n from ${String(s)}.${String(t)} x where x::text like $1`, [`%${marker}%`])
      expect([t, rows]).toEqual([t, [{ n: 0 }]])
    }
    const files = readdirSync(server.folder, { recursive: true, encoding: 'utf8' }).map((path) => join(server.folder, path))
    for (const file of files.filter((path) => statSync(path).isFile()))
      expect([file, readFileSync(file).includes(marker)]).toEqual([file, false])
  }) // prettier-ignore

  it('is in the arguments of no process', () => {
    for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
      let line = ''
      try {
        line = readFileSync(`/proc/${pid}/cmdline`, 'utf8')
      } catch {
        // it ended meanwhile
      }
      expect(line).not.toContain(marker)
    }
  })
})

describe('a secret belongs to whom it was given', () => {
  const save = (name: string, body: object) => ({ params: { name, environment: 'dev' }, body }) as never
  const kept = async (name: string) => JSON.stringify(await openConnection(server.engine, name, 'dev'), (key, value: unknown) => (['network', 'pace', 'agent'].includes(key) ? undefined : value))

  it('another host or port is told no password', async () => {
    const { settings: now } = (await server.keeper.call(routes.connections, { query: { environment: 'dev' } })).find(({ name }) => name === 'marked')!.settings[0]!
    for (const other of [{ host: 'elsewhere.example' }, { port: 5433 }]) {
      const fault = await server.keeper.fault(routes.saveSettings, save('marked', { settings: { ...now, ...other } }))
      expect(fault).toMatchObject({ status: 400, where: { path: 'secret' }, message: expect.stringContaining('give it again') as string })
    }
    // another database of the same server is the same server
    await server.keeper.call(routes.saveSettings, save('marked', { settings: { ...now, database: 'postgres' } }))
    expect(await kept('marked')).toContain(`${marker}-password`)
    await server.keeper.call(routes.saveSettings, save('marked', { settings: { ...now, host: 'elsewhere.example' }, secret: 'new' }))
    expect(await kept('marked')).not.toContain(marker)
  })

  it('another address is told no token and no header', async () => {
    const masked = settings({ headers: 'X-Key: ••••\nX-Plain: ••••' })
    // nothing changed: all is kept
    await server.keeper.call(routes.saveSettings, save('things', { settings: masked }))
    expect(await kept('things')).toContain(`X-Key: ${marker}-header`)
    const elsewhere = 'https://elsewhere.example/api'
    expect(await server.keeper.fault(routes.saveSettings, save('things', { settings: { ...masked, base: elsewhere } }))).toMatchObject({ where: { path: 'secret' } })
    expect(await server.keeper.fault(routes.saveSettings, save('things', { settings: { ...masked, base: elsewhere }, secret: 'new' }))).toMatchObject({ where: { path: 'settings.headers' }, message: expect.stringContaining('X-Key was given for') as string })
    expect(await server.keeper.fault(routes.saveSettings, save('things', { settings: { ...masked, headers: 'X-Other: ••••' } }))).toMatchObject({ message: 'X-Other: no value is kept for it; write it' })
    await server.keeper.call(routes.saveSettings, save('things', { settings: { ...masked, base: elsewhere, headers: 'X-Key: mine' }, secret: '' }))
    expect(await kept('things')).not.toContain(marker)
    expect(await kept('things')).toContain('X-Key: mine')
  })

  it('what an earlier version kept open is sealed', async () => {
    await server.own(`update mattock.connection_setting set settings = settings || '{"headers": "X-Old: ${marker}-old"}', secret = null where connection = 'things'`)
    await sealLines(server.engine)
    expect(await server.own(`select settings ->> 'headers' as headers from mattock.connection_setting where connection = 'things'`)).toEqual([{ headers: 'X-Old: ••••' }])
    expect(await kept('things')).toContain(`X-Old: ${marker}-old`)
  })
}) // prettier-ignore
