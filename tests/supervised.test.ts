import { execFile } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { healthSchema, type Health } from '../contract/health'
import { until } from './support/faults'
import { removeFolder } from './support/folder'
import { pace, silence } from './support/pace'

// a Mattock with a Postgres of its own, as a user starts it; the tests end that Postgres in every way

/** Of the workers, and so of what is waited for here. */
const quiet = silence(3)
const program = join(import.meta.dirname, '../dist/main.js')
const data = mkdtempSync(join(tmpdir(), 'mattock-supervised-'))
let url = ''
let token = ''
let databaseUrl = ''

function mattock(...args: string[]): Promise<{ code: number; out: string; err: string }> {
  const { DATABASE_URL: _, ...env } = process.env
  return new Promise((resolve) => {
    execFile(
      process.execPath,
      [program, ...args, '--data', data],
      { env: { ...env, UV_THREADPOOL_SIZE: '64', ...quiet } },
      (error, out, err) => resolve({ code: error ? Number(error.code ?? 1) : 0, out, err }),
    )
  })
}

const api = async (method: string, path: string, body?: object) =>
  await fetch(`${url}${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    ...(body ? { body: JSON.stringify(body) } : {}),
  })
const health = async (): Promise<Health> =>
  healthSchema.parse(await (await fetch(`${url}/api/health`)).json())
/** Its file is gone between the end of one and the beginning of the next. */
const postmaster = () => {
  try {
    return Number(readFileSync(join(data, 'postgres/data/postmaster.pid'), 'utf8').split('\n')[0])
  } catch {
    return 0
  }
}
const isWell = async () => (await health().catch(() => undefined))?.ok === true

/** One that is told to end takes its time, and all seems well until it has: another must be there. */
const isAnother = async (before: number) => ![0, before].includes(postmaster()) && (await isWell())

beforeAll(async () => {
  const { code, out, err } = await mattock('start', '--port', '0', '--background', '--json')
  if (code !== 0) throw new Error(err)
  url = (JSON.parse(out) as { url: string }).url
  token = readFileSync(join(data, 'command.token'), 'utf8').trim()
  databaseUrl = (JSON.parse(readFileSync(join(data, 'running.json'), 'utf8')) as { databaseUrl: string })
    .databaseUrl
})
afterAll(async () => {
  await mattock('stop')
  await removeFolder(data)
})

describe('Postgres of its own', () => {
  it('is asked by its socket, and told to others by an address that works from elsewhere', async () => {
    await until('all is well', isWell)
    expect(new URL(databaseUrl)).toMatchObject({ hostname: '127.0.0.1', search: '' })
    const client = new pg.Client({ connectionString: databaseUrl })
    await client.connect()
    // what comes by a socket has no address (PostgreSQL 15, 28.2.3)
    const { rows } = await client.query<{ near: number; far: number }>(
      `select (count(*) filter (where client_addr is null))::int as near, (count(*) filter (where client_addr is not null))::int as far
       from pg_stat_activity where datname = 'mattock' and backend_type = 'client backend' and pid <> pg_backend_pid()`,
    )
    await client.end()
    expect(rows[0]!.near).toBeGreaterThan(2)
    expect(rows[0]!.far).toBe(0)
  })
})

describe('Postgres that ends', () => {
  it('is said, in words, by health and by every answer, and is begun again', async () => {
    await until('all is well', isWell)
    const before = postmaster()
    process.kill(before, 'SIGKILL')
    let seen = await health()
    await until('it is said', async () => !(seen = await health()).database.ok)
    expect(seen.words[0]).toMatch(/^the database is away since \d\d:\d\d: /)
    const answer = await api('GET', '/api/jobs')
    if (answer.status !== 200) {
      expect(answer.status).toBe(503)
      expect(answer.headers.get('retry-after')).toBe('2')
      expect(await answer.json()).toMatchObject({ error: { code: 'away' } })
    }
    await until('it is back', () => isAnother(before))
    expect((await api('GET', '/api/jobs')).status).toBe(200)
  })

  it('is begun again five times in one run, which ends by itself, and every row is there once', async () => {
    const at = new URL(databaseUrl)
    const admin = new pg.Client({ connectionString: databaseUrl })
    await admin.connect()
    await admin.query('create database books')
    await admin.end()
    const settings = { host: at.hostname, port: Number(at.port), database: 'books', user: at.username }
    await api('POST', '/api/connections', { name: 'books', kind: 'postgres', title: 'Books', cap: null })
    const saved = await api('PUT', '/api/connections/books/settings/dev', { settings, secret: at.password })
    expect(saved.status).toBe(200)
    const document = join(data, 'job.yaml')
    writeFileSync(
      document,
      `mattock: job/1
# five restarts could meet one load each time, and five tries would be used up
name: through
title: Through five restarts
parts:
  - once:
      - {id: make, tries: 20, sql: {on: books, text: 'create table t (n int, part int)'}}
  - each: {roster: {range: {from: 1, to: 60}}, at_once: 6}
    do:
      - {id: put, tries: 20, sql: {on: books, text: 'insert into t select {row.value}, g from generate_series(1, 100) g; select pg_sleep(0.4)'}}
`,
    )
    const put = await mattock('put', document)
    expect(put.code, put.err).toBe(0)
    const { code, out, err } = await mattock('run', 'through', '--env', 'dev', '--json')
    expect(code, err).toBe(0)
    const { run } = JSON.parse(out) as { run: number }
    for (const signal of ['SIGINT', 'SIGQUIT', 'SIGKILL', 'SIGINT', 'SIGQUIT'] as const) {
      await new Promise((resolve) => setTimeout(resolve, 1500))
      const before = postmaster()
      process.kill(before, signal)
      await until('it is back', () => isAnother(before), 120)
    }
    let state = ''
    await until(
      'the run ends',
      async () => {
        const answer = await api('GET', `/api/runs/${run}/document`)
        state = answer.ok ? ((await answer.json()) as { state: string }).state : 'running'
        return state !== 'running'
      },
      180,
    )
    expect(state).toBe('done')
    const client = new pg.Client({
      connectionString: Object.assign(new URL(databaseUrl), { pathname: '/books' }).toString(),
    })
    await client.connect()
    const { rows } = await client.query(
      'select count(*)::int as rows, count(distinct (n, part))::int as different from t',
    )
    await client.end()
    expect(rows).toEqual([{ rows: 6000, different: 6000 }])
  })
})

describe('the data folder', () => {
  it('is closed to others, and so is what lies in it', () => {
    const mode = (path: string) => statSync(join(data, path)).mode & 0o777
    expect(mode('.') & 0o007).toBe(0)
    for (const file of ['secret.key', 'command.token', 'running.json', 'mattock.log'])
      expect([file, mode(file) & 0o077]).toEqual([file, 0])
  })
})

describe('a second start over the same folder', () => {
  it('finds the first', async () => {
    const { code, out } = await mattock('start', '--port', '0', '--background', '--json')
    expect(code).toBe(0)
    expect((JSON.parse(out) as { url: string }).url).toBe(url)
  })
})

describe('a stop', () => {
  it('ends every process it began within 10 s, one that plans among them', async () => {
    const { pid } = JSON.parse(readFileSync(join(data, 'running.json'), 'utf8')) as { pid: number }
    const below = childrenOf(pid)
    expect(below.length).toBeGreaterThan(4)
    const begun = performance.now()
    expect((await mattock('stop')).code).toBe(0)
    expect(performance.now() - begun).toBeLessThan(10_000 * pace())
    await until('none is left', () => below.every((one) => !existsSync(`/proc/${one}`)))
  })
})

/** All processes that a process began, and those that they did. */
function childrenOf(pid: number): number[] {
  const direct = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8')
    .trim()
    .split(/\s+/)
    .filter(Boolean)
    .map(Number)
  return direct.flatMap((child) => [child, ...childrenOf(child)])
}
