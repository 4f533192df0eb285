import { createHash } from 'node:crypto'
import { execFileSync } from 'node:child_process'
import { createSigner, httpbis } from 'http-message-signatures'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'
import { saveJob } from '../jobs/versions'
import { syncStarts } from './states'
import { startScheduler } from './scheduler'

// Calls are signed by the library of RFC 9421, and by openssl in a shell as the manual has it.

let server: TestServer
let key: string
const start = { environment: 'dev', job: 'called', start: 'outside' }
const job = `mattock: job/1
name: called
title: Called
parameters: {day: {type: text, default: none}}
starts:
  - {id: outside, called: {}}
  - {id: clock, clock: {cron: '0 5 1 1 *'}}
parts:
  - each: {roster: {rows: [{a: 1}], key: [a]}}
    do:
      - {id: work, sql: {on: warehouse, text: "select {param.day}::text"}}
`
beforeAll(async () => {
  server = await testServer()
  // an environment that is not live begins paused
  await server.own('delete from mattock.pause')
  await saveJob(server.engine, job, { by: 'test' })
  await syncStarts(server.engine)
  key = (await server.operator.call(routes.makeCallKey, { body: start })).key
})
afterAll(() => server.close())

const path = '/api/calls/dev/called/outside'
const digestOf = (body: string) => `sha-256=:${createHash('sha256').update(body).digest('base64')}:`

interface More {
  readonly key?: string
  readonly at?: string
  readonly created?: Date
  readonly expires?: Date
  readonly fields?: string[]
  readonly sent?: string
  readonly method?: string
}

/** Calls the start; `sent` is what is sent in the place of what was signed. */
async function callIt(body: string, more: More = {}): Promise<{ status: number; answer: Record<string, unknown> }> {
  const url = `${server.address}${more.at ?? path}`
  const { headers } = await httpbis.signMessage(
    {
      key: createSigner(Buffer.from(more.key ?? key, 'utf8'), 'hmac-sha256', 'caller'),
      fields: more.fields ?? ['@method', '@path', 'content-digest'],
      params: ['created', 'keyid', 'alg', ...(more.expires ? ['expires'] : [])],
      paramValues: { ...(more.created ? { created: more.created } : {}), ...(more.expires ? { expires: more.expires } : {}) },
    },
    { method: more.method ?? 'POST', url: more.at === undefined ? url : `${server.address}${path}`, headers: { 'content-type': 'application/json', 'content-digest': digestOf(body) } },
  )
  const response = await fetch(url, { method: 'POST', headers: headers as Record<string, string>, body: more.sent ?? body })
  return { status: response.status, answer: (await response.json()) as Record<string, unknown> }
} // prettier-ignore
const decisions = () =>
  server.own(`select state, cause, parameters from mattock.occasion where job = 'called' order by id`)

describe('a start that is called', () => {
  it('begins for who signs with its key, with their values, and once for one id', async () => {
    const body = JSON.stringify({ id: 'night 7', parameters: { day: "o'clock" } })
    const first = await callIt(body)
    expect(first).toMatchObject({ status: 200, answer: { state: 'due', why: null } })
    const again = await callIt(body)
    expect(again.answer.decision).toBe(first.answer.decision)
    expect(await decisions()).toMatchObject([
      { cause: 'the web call night 7', parameters: { day: "o'clock" } },
    ])
    const end = startScheduler(server.engine, { look: 50 })
    await expect.poll(async () => (await decisions())[0]!.state).toBe('started')
    await end()
    const [run] = await server.own(`select cause, by from mattock.run where job = 'called'`)
    expect(run).toMatchObject({ cause: 'the web call night 7', by: 'start outside' })
    expect(await server.reader.call(routes.callKeys, { params: { name: 'called' }, query: { environment: 'dev' } })).toMatchObject([{ start: 'outside', path, madeBy: 'the operator' }]) // prettier-ignore
  })
  it('is heard until the end that its signature says; what its body lacks is told then', async () => {
    const soon = new Date(Date.now() + 60_000)
    expect((await callIt('{"id": "ends later"}', { expires: soon })).status).toBe(200)
    const broken = await callIt('{"broken', { expires: soon })
    expect(broken).toMatchObject({ status: 400, answer: { error: { code: 'request' } } })
    expect((broken.answer.error as { message: string }).message).toMatch(/^the body is no JSON/)
  })
  it('is signed by a shell with openssl as well', async () => {
    const body = '{"id": "from a shell"}'
    const script = `
body='${body}'
digest="sha-256=:$(printf %s "$body" | openssl dgst -sha256 -binary | base64):"
input="(\\"@method\\" \\"@path\\" \\"content-digest\\");created=$(date +%s);keyid=\\"shell\\";alg=\\"hmac-sha256\\""
base="\\"@method\\": POST
\\"@path\\": ${path}
\\"content-digest\\": $digest
\\"@signature-params\\": $input"
sig=$(printf %s "$base" | openssl dgst -sha256 -hmac "$KEY" -binary | base64)
printf '%s\\n%s\\n%s' "$digest" "sig=$input" "sig=:$sig:"`
    const [digest, input, signature] = execFileSync('bash', ['-c', script], { env: { ...process.env, KEY: key } }).toString().split('\n') // prettier-ignore
    const response = await fetch(`${server.address}${path}`, {
      method: 'POST',
      body,
      headers: { 'content-type': 'application/json', 'content-digest': digest!, 'signature-input': input!, signature: signature! },
    }) // prettier-ignore
    expect(response.status).toBe(200)
    expect((await decisions()).at(-1)).toMatchObject({ cause: 'the web call from a shell' })
  })
  it.each<[string, More]>([
    ['a signature past the end that it says itself', { expires: new Date(Date.now() - 2000) }],
    ['a body that is no JSON, without a word on what is wrong with it', { sent: '{"broken' }],
    ['another key', { key: 'guessed' }],
    ['an old signature', { created: new Date(Date.now() - 6 * 60_000) }],
    ['one of a time to come', { created: new Date(Date.now() + 11 * 60_000) }],
    ['another body than was signed', { sent: '{"id": "x2"}' }],
    ['a signature that leaves out the body', { fields: ['@method', '@path'] }],
    ['a signature that leaves out the path', { fields: ['@method', 'content-digest'] }],
    ['another method than was signed', { method: 'PUT' }],
    ['the key of one start at another', { at: '/api/calls/dev/called/clock' }],
    ['another environment', { at: '/api/calls/live/called/outside' }],
    ['a job that is not there', { at: '/api/calls/dev/no-such/outside' }],
  ])('refuses %s, and says the same whatever it is', async (_what, more) => {
    const before = (await decisions()).length
    const { status, answer } = await callIt('{"id": "x1"}', more)
    // who tries too often waits
    expect([401, 429]).toContain(status)
    if (status === 401)
      expect((answer.error as { message: string }).message).toMatch(/^the call is not signed/)
    expect(await decisions()).toHaveLength(before)
  })
  it('refuses a call that is not signed at all, and keys that were taken away', async () => {
    const other = await testServerCall()
    expect(other).toBeGreaterThanOrEqual(401)
    await server.operator.call(routes.makeCallKey, { body: start }).then(({ key: next }) => (key = next))
    expect((await server.reader.fault(routes.makeCallKey, { body: start })).code).toBe('forbidden')
    expect((await server.operator.fault(routes.makeCallKey, { body: { ...start, start: 'clock' } })).code).toBe('unknown-name') // prettier-ignore
    await server.operator.call(routes.dropCallKey, { body: start })
    expect((await callIt('{}')).status).toBeGreaterThanOrEqual(401)
  })
  const testServerCall = async () =>
    (await fetch(`${server.address}${path}`, { method: 'POST', body: '{}', headers: { 'content-type': 'application/json' } })).status // prettier-ignore
})
