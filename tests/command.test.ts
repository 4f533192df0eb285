import pg from 'pg'
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { surveySchema } from '../contract/catalog'
import { planDocumentSchema } from '../contract/plans'
import { runDocumentSchema, showDocumentSchema } from '../contract/shapes'
import { layDown } from '../demo/gauges'
import { startDemo, type Started } from './support/started'

let demo: Started
beforeAll(async () => {
  demo = await startDemo('command', false)
  mkdirSync(join(demo.data, 'gauge-drop'), { recursive: true })
  for (const daysAgo of [20, 19, 12]) {
    const day = Temporal.PlainDate.from('2026-11-23').subtract({ days: daysAgo })
    layDown(join(demo.data, 'gauge-drop'), day, daysAgo, 'on-time')
  }
})
afterAll(() => demo.stop())

/** The shapes and exit codes of product.md §11. */
describe('the command', () => {
  it('plans with --json: one document, loads with row, slice and resolved steps', async () => {
    const { code, out } = await demo.mattock(
      'plan',
      'gauge-readings',
      '--slices',
      '2026-11-03/2026-11-05',
      '--only',
      `row.district == 'corrie'`,
      '--json',
    )
    expect(code).toBe(0)
    const plan = planDocumentSchema.parse(JSON.parse(out))
    expect(plan).toMatchObject({ job: 'gauge-readings', environment: 'dev', findings: [], forecast: null })
    expect(plan.loads.map(({ key }) => key)).toContain('flow_corrie · 2026-11-04')
    expect(plan.loads).toHaveLength(8)
    const [load] = plan.loads.filter(({ key }) => key === 'flow_corrie · 2026-11-03')
    expect(load).toMatchObject({
      row: { district: 'corrie' },
      slice: { from: '2026-11-02T23:00:00.000Z', to: '2026-11-03T23:00:00.000Z' },
    })
    expect(load!.steps).toMatchObject([
      {
        id: 'bring-in',
        kind: 'transfer',
        resolved: { 'from.files': 'flow_corrie_20261103*.csv', 'into.table': 'raw.flow_reading' },
        after: [],
      },
      { id: 'note-arrival', kind: 'sql', after: ['bring-in'] },
    ])
    expect(plan.once.map(({ id }) => id)).toEqual(['make-tables'])
  })
  it('surveys a connection: what it would change, what it took in, strays with their reasons', async () => {
    const first = await demo.mattock('survey', 'gauge-drop', '--env', 'staging', '--json')
    expect(first.code).toBe(0)
    const found = surveySchema.parse(JSON.parse(first.out))
    expect(found).toMatchObject({ state: 'done', same: 0, proposals: { new: 6, open: 6 } })
    expect(found.strays.map(({ path }) => path)).toContain('site-photo.png')
    const taken = await demo.mattock('survey', 'gauge-drop', '--env', 'staging', '--accept')
    expect(taken.out).toContain('6 new, 0 changed, 0 gone, 0 as known; 0 to decide')
    expect((await demo.mattock('survey', 'gauge-drop', '--env', 'staging')).out).toContain('6 as known')
    expect((await demo.mattock('survey', 'no-such')).code).toBe(2)
    expect((await demo.mattock('survey')).code).toBe(2)
  })
  it('runs and waits: exit 0, done, balanced', async () => {
    const { code, out } = await demo.mattock(
      'run',
      'gauge-readings',
      '--slices',
      '2026-11-03',
      '--set',
      'region=corrie',
      '--wait',
      '--json',
    )
    const run = runDocumentSchema.parse(JSON.parse(out))
    expect(run).toMatchObject({
      state: 'done',
      loads: { done: 5, failed: 0 },
      balance: { read: 2448, written: 2448, balanced: true },
    })
    expect(code).toBe(0)
    const shown = await demo.mattock('show', String(run.run), '--json')
    const detail = showDocumentSchema.parse(JSON.parse(shown.out)).detail
    expect(detail.find(({ key }) => key.startsWith('flow_corrie'))).toMatchObject({
      state: 'done',
      read: 1152,
      written: 1152,
      error: null,
      detail: [
        { step: 'bring-in', files: [{ path: 'flow_corrie_20261103.csv', records: 1152 }] },
        { step: 'note-arrival' },
      ],
    })
    expect(shown.code).toBe(0)
  })
  it('finds what was already loaded, and counts it as unchanged', async () => {
    const plan = JSON.parse(
      (
        await demo.mattock(
          'plan',
          'gauge-readings',
          '--slices',
          '2026-11-03',
          '--set',
          'region=corrie',
          '--json',
        )
      ).out,
    )
    expect(plan.findings.map(({ code }: { code: string }) => code)).toEqual(['already-loaded'])
    expect(plan.forecast.seconds).toBeGreaterThan(0)
    const { out } = await demo.mattock(
      'run',
      'gauge-readings',
      '--slices',
      '2026-11-03',
      '--set',
      'region=corrie',
      '--wait',
      '--json',
    )
    expect(JSON.parse(out).balance).toEqual({
      read: 2448,
      written: 0,
      unchanged: 2448,
      rejected: 0,
      filtered: 0,
      merged: 0,
      balanced: true,
    })
  })
  it('ends with 1 where a load failed, and reruns the failed only', async () => {
    // twelve days ago level_hexley sent a file of 0 bytes
    const { code, out } = await demo.mattock(
      'run',
      'gauge-readings',
      '--slices',
      '2026-11-11',
      '--set',
      'region=hexley',
      '--wait',
      '--json',
    )
    const run = JSON.parse(out)
    expect([code, run.state, run.loads.failed]).toEqual([1, 'failed', 1])
    writeFileSync(
      join(demo.data, 'gauge-drop', 'level_hexley_20261111.csv'),
      'meter,read_at,metres,state\nHE-L01,2026-11-11T00:00:00+01:00,3.1,ok\n',
    )
    const again = await demo.mattock('rerun', String(run.run), '--failed', '--wait', '--json')
    expect([again.code, JSON.parse(again.out).loads.done]).toEqual([0, 1])
    // from a step on, also what was done; the rows of an upsert are the same once more
    const run2 = String(JSON.parse(again.out).run)
    const from = await demo.mattock('rerun', run2, '--from', 'bring-in', '--wait', '--json')
    expect([from.code, JSON.parse(from.out).balance.unchanged]).toEqual([0, 1])
    expect((await demo.mattock('rerun', run2, '--from', 'bring-inn')).code).toBe(2)
    expect((await demo.mattock('rerun', run2)).code).toBe(2)
    // planned anew, by the rows and files of now; where all is done there is nothing to plan
    const anew = await demo.mattock('rerun', String(run.run), '--anew', '--wait', '--json')
    expect([anew.code, JSON.parse(anew.out)]).toMatchObject([0, { state: 'done', loads: { done: 1 } }])
    const none = await demo.mattock('rerun', run2, '--anew')
    expect([none.code, none.err]).toEqual([2, expect.stringContaining(`all loads of run ${run2} are done`)])
    expect((await demo.mattock('rerun', run2, '--anew', '--failed')).code).toBe(2)
  })
  it('proves a run, and tells later what is no longer as it was left', async () => {
    const { out } = await demo.mattock('run', 'registry-copy', '--wait', '--json')
    const { run, balance } = JSON.parse(out)
    expect(balance.written).toBeGreaterThan(3)
    const proof = JSON.parse((await demo.mattock('proof', String(run))).out)
    expect(proof).toMatchObject({ mattock: 'proof/1', run: { id: run }, balance: { read: balance.read } })
    const good = await demo.mattock('verify', String(run), '--json')
    const found = JSON.parse(good.out)
    expect([good.code, found.holds, found.run]).toEqual([0, true, run])
    expect(found.loads[0]).toEqual({ key: expect.any(String) as string, holds: true, written: expect.any(Number) as number, found: expect.toBeOneOf([expect.any(Number), null]) as number, why: null }) // prettier-ignore
    const warehouse = new pg.Client({ connectionString: demo.databaseUrl.replace(/\/[^/]*$/, `/${new URL(demo.databaseUrl).pathname.slice(1)}_warehouse_dev`) }) // prettier-ignore
    await warehouse.connect()
    await warehouse.query('delete from clean.pump where ctid in (select ctid from clean.pump limit 3)')
    await warehouse.end()
    const bad = await demo.mattock('verify', String(run))
    expect(bad.code).toBe(1)
    expect(bad.out).toMatch(/3 of [\d,]+ rows are not as they were left/)
  })
  it('ends with 3 where the plan has a stop, and starts nothing', async () => {
    const before = JSON.parse((await demo.mattock('runs', '--json')).out).length
    const { code, out } = await demo.mattock(
      'run',
      'gauge-readings',
      '--slices',
      '2026-11-03',
      '--only',
      'row.distrct == "x"',
      '--wait',
      '--json',
    )
    expect(code).toBe(3)
    expect(JSON.parse(out).findings[0]).toMatchObject({
      code: 'unknown-name',
      level: 'stop',
      message: expect.stringContaining('did you mean row.district'),
    })
    expect(JSON.parse((await demo.mattock('runs', '--json')).out)).toHaveLength(before)
  })
  it.each([['help'], ['--help'], ['start', '--help'], ['plan', '-h']])(
    'says how it is called for %j, and does nothing else',
    async (...args) => {
      const { code, out } = await demo.mattock(...args)
      expect(code).toBe(0)
      expect(out).toContain('./mattock plan JOB')
    },
  )
  it('says which version it is', async () => {
    expect(await demo.mattock('--version')).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^\d+\.\d+\.\d+\n$/) as string,
    })
  })
  it.each([
    [['plan'], 'takes one job'],
    [['plan', 'no-such-job'], 'there is no job'],
    [['plan', 'gauge-reading'], 'did you mean "gauge-readings"?'],
    [['plan', 'gauge-readings', '--env', 'stagin'], 'did you mean "staging"?'],
    [['runs', '--state', 'fialed'], 'did you mean "failed"?'],
    [['runs', '--state', 'x'], 'it is one of waiting, ready'],
    [['plna', 'gauge-readings'], 'did you mean "plan"?'],
    [['plan', 'gauge-readings', '--slices', 'soon'], 'no date or time'],
    [['plan', 'gauge-readings', '--nope'], 'Unknown option'],
    [['run', 'gauge-readings', '--set', 'x'], 'name=value'],
    [['show', 'seven'], 'it is a number'],
    [['dance'], 'there is no command'],
  ])('ends with 2 for %j, says why, and prints nothing else', async (args, reason) => {
    const { code, out, err } = await demo.mattock(...args)
    expect([code, out]).toEqual([2, ''])
    expect(err).toContain(reason)
  })
  it('copies the registry: every table of another shape, text trimmed', async () => {
    const { code, out } = await demo.mattock('run', 'registry-copy', '--wait', '--json')
    expect([code, JSON.parse(out).balance]).toEqual([
      0,
      { read: 18789, written: 18789, unchanged: 0, rejected: 0, filtered: 0, merged: 0, balanced: true },
    ])
    const client = new pg.Client({
      connectionString: demo.databaseUrl.replace(
        /\/[^/]*$/,
        `/${new URL(demo.databaseUrl).pathname.slice(1)}_warehouse_dev`,
      ),
    })
    await client.connect()
    const { rows } = await client.query(
      `select (count(*) filter (where tag <> trim(tag) or remarks = ''))::int as untrimmed, count(*)::int from clean.pump`,
    )
    await client.end()
    expect(rows).toEqual([{ untrimmed: 0, count: 340 }])
  })
})

describe('the server', () => {
  const call = (path: string, init: RequestInit = {}) => fetch(demo.url + path, init)
  const own = { 'x-mattock': '1', 'content-type': 'application/json' }
  const signIn = (password: string, email = 'marek@ostrel.example') =>
    call('/api/session', { method: 'POST', headers: own, body: JSON.stringify({ email, password }) })

  it('answers nobody who is not signed in', async () => {
    for (const path of [
      '/api/jobs',
      '/api/connections?environment=dev',
      '/api/runs',
      '/api/events',
      '/api/runs/1/loads/1/rejects.csv?step=x',
    ]) {
      expect((await call(path)).status, path).toBe(401)
    }
    expect((await call('/api/jobs', { headers: { authorization: 'Bearer mtk_wrong' } })).status).toBe(401)
  })
  it('gives a session by cookie, out of reach of scripts, and only to the right password', async () => {
    expect((await signIn('wrong')).status).toBe(401)
    const answer = await signIn('dunmoor-gauge-7')
    expect(answer.status).toBe(200)
    const [cookie = ''] = answer.headers.getSetCookie()
    expect(cookie).toMatch(/HttpOnly/)
    expect(cookie).toMatch(/SameSite=Strict/)
    const headers = { cookie: cookie.split(';')[0]! }
    expect((await call('/api/jobs', { headers })).status).toBe(200)
    // no secret leaves the server, in whatever form
    const connections = await (await call('/api/connections?environment=dev', { headers })).text()
    expect(connections).toContain('"hasSecret":true')
    expect(connections).not.toContain(new URL(demo.databaseUrl).password)
    // what changes something must come from our own pages
    const body = JSON.stringify({ job: 'gauge-readings', environment: 'dev' })
    const post = (extra: Record<string, string>) =>
      call('/api/plans', {
        method: 'POST',
        headers: { ...headers, 'content-type': 'application/json', ...extra },
        body,
      })
    expect((await post({})).status).toBe(403)
    expect((await post({ 'x-mattock': '1', origin: 'http://evil.example' })).status).toBe(403)
    expect((await post({ 'x-mattock': '1', origin: demo.url })).status).toBe(200)
  })
  it('lets a reader look and plan, but change and run nothing', async () => {
    const [cookie = ''] = (await signIn('only-looking-3', 'guest@ostrel.example')).headers.getSetCookie()
    const headers = { ...own, cookie: cookie.split(';')[0]! }
    const plan = await call('/api/plans', {
      method: 'POST',
      headers,
      body: JSON.stringify({ job: 'registry-copy', environment: 'dev' }),
    })
    const { id } = (await plan.json()) as { id: number }
    expect(
      (await call('/api/runs', { method: 'POST', headers, body: JSON.stringify({ plan: id }) })).status,
    ).toBe(403)
    expect(
      (
        await call('/api/control/feed_control/edits?environment=dev', {
          method: 'POST',
          headers,
          body: JSON.stringify({ edits: [] }),
        })
      ).status,
    ).toBe(403)
  })
  it('shows a reader what saved jobs come to, but runs no statement that the reader typed', async () => {
    const [cookie = ''] = (await signIn('only-looking-3', 'guest@ostrel.example')).headers.getSetCookie()
    const headers = { ...own, cookie: cookie.split(';')[0]! }
    const ask = (path: string, text: string) =>
      call(path, {
        method: 'POST',
        headers,
        body: JSON.stringify({ text, environment: 'dev', part: 1, step: 'bring-in' }),
      })
    const { text } = (await (await call('/api/jobs/gauge-readings', { headers })).json()) as { text: string }
    const typed = text.replace('control: feed_control', 'query: {on: warehouse, text: select 1 as id}')
    expect(typed).not.toBe(text)
    for (const path of ['/api/jobs/resolve', '/api/jobs/roster', '/api/jobs/gauge-readings/effect']) {
      expect((await ask(path, text)).status, path).toBe(200)
      expect((await ask(path, typed)).status, path).toBe(403)
    }
    expect((await ask('/api/jobs/mapping', typed)).status).toBe(403)
  })
  it('lets a reader see tries, but start, stop or clear none, and bring nothing in', async () => {
    const [cookie = ''] = (await signIn('only-looking-3', 'guest@ostrel.example')).headers.getSetCookie()
    const headers = { ...own, cookie: cookie.split(';')[0]! }
    const post = async (path: string, body: object = {}) =>
      (await call(path, { method: 'POST', headers, body: JSON.stringify(body) })).status
    const { text } = (await (await call('/api/jobs/gauge-readings', { headers })).json()) as { text: string }
    const documents = [{ file: 'a.yaml', text }]
    expect(await post('/api/tries', { text, environment: 'dev', part: 1, rows: ['flow_corrie'] })).toBe(403)
    expect(await post('/api/tries/1/stop')).toBe(403)
    expect(await post('/api/tries/1/clear')).toBe(403)
    expect(await post('/api/jobs-in/check', { documents, environment: 'dev' })).toBe(403)
    expect(await post('/api/jobs-in', { documents, environment: 'dev', given: {} })).toBe(403)
    expect((await call('/api/jobs/gauge-readings/tries', { headers })).status).toBe(200)
  })
  it('runs a try from start to end, and says what is wrong with one that cannot be', async () => {
    const headers = { authorization: `Bearer ${demo.token}`, 'content-type': 'application/json' }
    const ask = async (path: string, body?: object) => {
      const answer = await call(path, { headers, ...(body ? { method: 'POST', body: JSON.stringify(body) } : {}) }) // prettier-ignore
      return { status: answer.status, body: (await answer.json()) as Record<string, never> & { error: { message: string } } } // prettier-ignore
    }
    const { text } = (await ask('/api/jobs/gauge-readings')).body as unknown as { text: string }
    const given = { text, environment: 'dev', part: 0, rows: [] }
    expect((await ask('/api/tries', { ...given, part: 7 })).body.error.message).toBe('the job has no part 8')
    expect((await ask('/api/tries', { ...given, part: 1 })).body.error.message).toBe('choose a row to try')
    expect((await ask('/api/tries', { ...given, text: 'name: [' })).status).toBe(422)
    expect((await ask('/api/tries/999')).status).toBe(404)
    const begun = await ask('/api/tries', given)
    const { id } = begun.body as unknown as { id: number }
    const look = async () => (await ask(`/api/tries/${id}`)).body as unknown as { state: string; saved: boolean; clearedAt: string | null; loads: { steps: { state: string; kind: string }[] }[] } // prettier-ignore
    let found = await look()
    for (let i = 0; i < 1200 && found.state !== 'done'; i++) {
      await new Promise((resolve) => setTimeout(resolve, 50))
      found = await look()
    }
    expect(found).toMatchObject({ state: 'done', saved: true, loads: [{ steps: [{ state: 'done', kind: 'sql' }] }] }) // prettier-ignore
    expect((await ask(`/api/tries/${id}/go-on`, {})).body.error.message).toBe(`try ${id} is not held`)
    expect((await ask(`/api/tries/${id}/stop`, {})).status).toBe(409)
    const step = (await ask(`/api/tries/${id}/steps/0`)).body as unknown as { statements: { text: string }[] }
    expect(step.statements.every(({ text: own_ }) => own_.includes(`mattock_try_${id}`))).toBe(true)
    expect((await ask(`/api/tries/${id}/clear`, {})).status).toBe(200)
    expect((await look()).clearedAt).not.toBeNull()
  })
  it('describes itself by OpenAPI 3.1, every operation with its own id', async () => {
    const document = (await (await call('/api/openapi.json')).json()) as {
      openapi: string
      paths: Record<string, Record<string, { operationId: string }>>
    }
    expect(document.openapi).toBe('3.1.0')
    const ids = Object.values(document.paths).flatMap((path) =>
      Object.values(path).map(({ operationId }) => operationId),
    )
    expect(ids).toContain('makePlan')
    expect(new Set(ids).size).toBe(ids.length)
  })
  it('answers bad requests with what is wrong, never with a stack', async () => {
    const token = (await import('node:fs')).readFileSync(join(demo.data, 'command.token'), 'utf8')
    const headers = { authorization: `Bearer ${token}`, 'content-type': 'application/json' }
    for (const [path, init, status] of [
      ['/api/plans/999999', {}, 404],
      ['/api/plans/x', {}, 400],
      ['/api/nope', {}, 404],
      ['/api/plans', { method: 'POST', body: '{' }, 400],
      ['/api/plans', { method: 'POST', body: '{}' }, 400],
    ] as const) {
      const answer = await call(path, { ...init, headers })
      const { error } = (await answer.json()) as { error: { message: string } }
      expect([path, answer.status]).toEqual([path, status])
      expect(error.message).not.toMatch(/ at .*\.(ts|js):/)
    }
  })
  it('slows down whoever guesses passwords', async () => {
    const tries = []
    for (let i = 0; i < 12; i++) tries.push((await signIn('guess')).status)
    expect(tries.at(-1)).toBe(429)
  })
})
