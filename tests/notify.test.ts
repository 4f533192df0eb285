import { createHmac } from 'node:crypto'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { HTTP, type CloudEvent } from 'cloudevents'
import { simpleParser, type ParsedMail } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import { saveSettings, testConnection } from '../engine/connectors/connections'
import { testBench, type TestBench } from './support/bench'

// What is told to somebody, held against other libraries' own reading: smtp-server with mailparser, the CloudEvents SDK.

interface Post {
  readonly headers: Record<string, string>
  readonly body: string
}
let bench: TestBench
let smtp: SMTPServer
const mails: ParsedMail[] = []
const posts: Post[] = []
/** What the next are answered with. */
const mailAnswers: (Error | undefined)[] = []
const webAnswers: number[] = []
const web = createServer((request, response) => {
  let body = ''
  request.on('data', (chunk: Buffer) => (body += chunk.toString('utf8')))
  request.on('end', () => {
    posts.push({ headers: request.headers as Record<string, string>, body })
    const status = webAnswers.shift() ?? 202
    response.writeHead(status, status === 302 ? { location: '/elsewhere' } : {}).end(status < 300 ? '' : 'not now')
  })
}) // prettier-ignore
const smtpFault = (responseCode: number, message: string) =>
  Object.assign(new Error(message), { responseCode })

beforeAll(async () => {
  vi.stubEnv('MATTOCK_PAUSE_MS', '20')
  bench = await testBench()
  smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onAuth: ({ username, password }, _session, done) =>
      done(username === 'loads' && password === 'p"w' ? null : smtpFault(535, 'no such user'), { user: username }),
    onRcptTo: ({ address }, _session, done) => done(address.startsWith('nobody') ? smtpFault(550, 'no such address') : null),
    onData: (stream, _session, done) => {
      const answer = mailAnswers.shift()
      simpleParser(stream).then((mail) => {
        if (!answer) mails.push(mail)
        done(answer)
      }, done)
    },
  }) // prettier-ignore
  smtp.on('error', () => {})
  await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve))
  await new Promise<void>((resolve) => web.listen(0, '127.0.0.1', resolve))
  await bench.own(`insert into mattock.connection (name, kind, title) values ('post', 'mail', 'Post'), ('alarms', 'webhook', 'Alarms'), ('inward', 'webhook', 'Inward')`) // prettier-ignore
  const { port } = smtp.server.address() as AddressInfo
  const settings = {
    host: '127.0.0.1',
    port,
    security: 'none',
    user: 'loads',
    from: 'Loads <loads@ostrel.example>',
  }
  await saveSettings(bench.engine, 'post', 'dev', { settings, secret: 'p"w' }, 'test')
  const address = `http://127.0.0.1:${(web.address() as AddressInfo).port}/events?a=1`
  await saveSettings(bench.engine, 'alarms', 'dev', { settings: { address }, secret: 'sign ing' }, 'test')
  await bench.worker(2)
})
afterAll(async () => {
  vi.unstubAllEnvs()
  web.close()
  await new Promise<void>((resolve) => smtp.close(() => resolve()))
  await bench.close()
})
beforeEach(() => {
  for (const list of [mails, posts, mailAnswers, webAnswers]) list.splice(0)
})

let jobs = 0
async function tell(...messages: string[]) {
  const run = await bench.load(`
mattock: job/1
name: tell-${++jobs}
title: Tell
parameters:
  who: {type: text, default: "a <b>\\nX-Other: 1"}
parts:
  - once:
${messages.map((message, i) => `      - {id: tell-${i + 1}, notify: ${message}}\n`).join('')}`)
  const [load] = await bench.own('select id, state, error from mattock.load where run_id = $1', [run])
  const logs = await bench.own('select log from mattock.load_step where load_id = $1 order by position', [load!.id]) // prettier-ignore
  return {
    run,
    load: load!.id as number,
    state: load!.state as string,
    error: load!.error as { code: string; message: string } | null,
    log: logs.flatMap(({ log }) => log as string[]),
  }
}
const mailTo = (
  to: string,
  more = `subject: 'about {param.who}', text: "line one\\n{run.id}: ü 水 . \\n.\\nend"`,
) => `{mail: {on: post, to: '${to}', ${more}}}`
const event = `{webhook: {on: alarms, text: 'run {run.id} of "{param.who}"'}}`

describe('a mail', () => {
  it('arrives as it was written, line breaks in its subject aside', async () => {
    const { state, run, load, log } = await tell(mailTo('ana@ostrel.example, Ben <ben@ostrel.example>'))
    expect(state).toBe('done')
    const [mail] = mails
    expect(mail).toMatchObject({
      subject: 'about a <b> X-Other: 1',
      text: `line one\n${run}: ü 水 . \n.\nend\n`,
      messageId: `<${bench.engine.installation}.${load}.tell-1@ostrel.example>`,
    })
    expect(mail!.from!.text).toBe('"Loads" <loads@ostrel.example>')
    expect([mail!.to].flat().map((one) => one!.text)).toEqual(['ana@ostrel.example, "Ben" <ben@ostrel.example>'])
    expect(mail!.headers.has('x-other')).toBe(false)
    expect(log[0]).toContain('told: a mail to ana@ostrel.example, ben@ostrel.example: 250')
  }) // prettier-ignore

  it('is sent again where the server is busy, as the same mail, and not where it refuses', async () => {
    mailAnswers.push(smtpFault(451, 'try later'), smtpFault(452, 'full'))
    expect((await tell(mailTo('ana@ostrel.example'))).state).toBe('done')
    expect(mails).toHaveLength(1)
    mailAnswers.push(smtpFault(554, 'no spam'))
    const refused = await tell(mailTo('ana@ostrel.example'))
    expect(refused).toMatchObject({ state: 'failed', error: { code: 'mail' } })
    expect(refused.error!.message).toContain('no spam')
    expect((await tell(mailTo('nobody@ostrel.example'))).error!.message).toContain('no such address')
    expect((await tell(mailTo('nobody@ostrel.example, ana@ostrel.example'))).log[0]).toContain('not taken for nobody@ostrel.example') // prettier-ignore
  })

  it('reads no file, whatever its text says', async () => {
    await tell(mailTo('ana@ostrel.example', `subject: '/etc/hostname', text: 'file:///etc/hostname'`))
    expect(mails[0]!.text).toBe('file:///etc/hostname\n')
  })
})

describe('an event', () => {
  it('is a CloudEvent by the SDK’s own reading, signed', async () => {
    const { run, load, state } = await tell(event)
    expect(state).toBe('done')
    const [{ headers, body }] = posts as [Post]
    const read = HTTP.toEvent({ headers, body }) as CloudEvent | CloudEvent[]
    if (Array.isArray(read)) throw new Error('one was meant')
    expect(read.validate()).toBe(true)
    expect(read.toJSON()).toMatchObject({
      specversion: '1.0',
      id: `${bench.engine.installation}.${load}.tell-1`,
      source: `/environments/dev/jobs/tell-${jobs}`,
      type: 'mattock.notice',
      subject: `runs/${run}`,
      datacontenttype: 'application/json',
      data: { text: `run ${run} of "a <b>\nX-Other: 1"`, job: `tell-${jobs}`, environment: 'dev', run, load, step: 'tell-1' },
    })
    const input = headers['signature-input']!.replace(/^mattock=/, '')
    const address = `http://127.0.0.1:${(web.address() as AddressInfo).port}/events?a=1`
    const base = `"@method": POST\n"@target-uri": ${address}\n"content-type": ${headers['content-type']}\n"content-digest": ${headers['content-digest']}\n"@signature-params": ${input}`
    expect(headers.signature).toBe(`mattock=:${createHmac('sha256', 'sign ing').update(base).digest('base64')}:`)
  }) // prettier-ignore

  it('is sent again with the same id where that may help, and goes nowhere else', async () => {
    webAnswers.push(503, 429, 202)
    expect((await tell(event)).state).toBe('done')
    expect(new Set(posts.map(({ body }) => (JSON.parse(body) as { id: string }).id)).size).toBe(1)
    expect(posts).toHaveLength(3)
    webAnswers.push(404)
    expect((await tell(event)).error).toMatchObject({
      code: 'webhook',
      message: 'alarms answered 404: not now',
    })
    webAnswers.push(302)
    expect((await tell(event)).error!.message).toContain('answered 302')
    expect(posts).toHaveLength(5)
  })

  it('is not sent to an address that may not be asked', async () => {
    await expect(
      saveSettings(bench.engine, 'inward', 'dev', { settings: { address: 'http://169.254.169.254/x' }, secret: 'k' }, 'test'),
    ).rejects.toThrow('169.254.169.254 is an address of this link')
  }) // prettier-ignore
})

describe('the test of a connection', () => {
  it('signs in to a mail server, and sends nothing anywhere', async () => {
    const good = await testConnection(bench.engine, 'post', 'dev')
    expect(good.steps.map(({ label, ok }) => `${label} ${ok}`)).toEqual(['settings true', 'name resolves true', 'port answers true', 'sign-in true']) // prettier-ignore
    expect((await testConnection(bench.engine, 'alarms', 'dev')).ok).toBe(true)
    expect([mails, posts]).toEqual([[], []])
  })
})
