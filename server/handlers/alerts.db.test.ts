import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { HTTP, type CloudEvent } from 'cloudevents'
import { simpleParser, type ParsedMail } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { fillSpans } from '../../engine/alerts/fill'
import { lookAt, watchAlerts } from '../../engine/alerts/look'
import { sendSome } from '../../engine/alerts/post'
import { sendSummaries } from '../../engine/alerts/summaries'
import { readArrivals } from '../../engine/arrivals/read'
import { saveSettings } from '../../engine/connectors/connections'
import { lookAhead } from '../../engine/scheduling/outlook'
import { testServer, type TestServer } from '../../tests/support/server'

// What is told, held against other libraries' own reading: smtp-server with mailparser, the CloudEvents SDK.

let server: TestServer
let smtp: SMTPServer
const mails: ParsedMail[] = []
const events: CloudEvent<Record<string, unknown>>[] = []
/** What the next mail is answered with. */
const answers: (Error | undefined)[] = []
const refused: string[] = []
const web = createServer((request, response) => {
  let body = ''
  request.on('data', (chunk: Buffer) => (body += chunk.toString('utf8')))
  request.on('end', () => {
    events.push(HTTP.toEvent({ headers: request.headers, body }) as CloudEvent<Record<string, unknown>>)
    response.writeHead(202).end()
  })
})
const signal = new AbortController().signal
const asks = {
  lookAhead: (ask: Parameters<typeof lookAhead>[1]) => lookAhead(server.engine, ask),
  readArrivals: (ask: Parameters<typeof readArrivals>[1]) => readArrivals(server.engine, ask),
}
const look = () => lookAt(server.engine, 'dev', { asks, address: 'https://loads.example.org' })
const send = () => sendSome(server.engine, signal)
const dev = { environment: 'dev' }
const breaking = (name: string, text = 'select 1 from public.not_there') => `mattock: job/1
name: ${name}
title: The ${name}
parts:
  - each: {roster: {rows: [{feed: a}], key: [feed]}}
    do:
      - {id: work, sql: {on: warehouse, text: "${text}"}}
`
const rule = (name: string, more: Record<string, unknown> = {}, to: unknown[] = [{ mail: { on: 'post', to: 'night@example.org, "B, C" <day@example.org>' } }, { webhook: { on: 'alarms' } }]) => ({
  name,
  title: `Rule "${name}"`,
  in: ['dev'],
  zone: 'Europe/Oslo',
  tells: { matters: { about: ['failed', 'check'], ...more } },
  to,
}) // prettier-ignore
const save = (given: Record<string, unknown>, before: string | null = null) =>
  server.operator.call(routes.saveAlert, { body: { rule: given, before } })
const log = (rule?: string) => server.reader.call(routes.alertMessages, { query: { ...dev, ...(rule === undefined ? {} : { rule }) } }) // prettier-ignore

beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  smtp = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    onRcptTo: ({ address }, _session, done) => {
      const no = refused.includes(address)
      done(no ? Object.assign(new Error('no such address'), { responseCode: 550 }) : null)
    },
    onData: (stream, _session, done) => {
      const answer = answers.shift()
      simpleParser(stream).then((mail) => {
        mails.push(mail)
        done(answer)
      }, done)
    },
  })
  smtp.on('error', () => {})
  await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve))
  await new Promise<void>((resolve) => web.listen(0, '127.0.0.1', resolve))
  await server.own(`insert into mattock.connection (name, kind, title) values ('post', 'mail', 'Post'), ('alarms', 'webhook', 'Alarms')`) // prettier-ignore
  const settings = {
    host: '127.0.0.1',
    port: (smtp.server.address() as AddressInfo).port,
    security: 'none',
    user: '',
    from: 'Loads <loads@ostrel.example>',
  }
  await saveSettings(server.engine, 'post', 'dev', { settings }, 'test')
  const address = `http://127.0.0.1:${(web.address() as AddressInfo).port}/events`
  await saveSettings(server.engine, 'alarms', 'dev', { settings: { address }, secret: 'a "key"' }, 'test')
})
afterAll(async () => {
  web.close()
  await new Promise<void>((resolve) => smtp.close(() => resolve()))
  await server.close()
})
beforeEach(async () => {
  for (const list of [mails, events, answers, refused]) list.splice(0)
  await server.own(
    'truncate mattock.alert_rule, mattock.alert_message, mattock.alert_watch, mattock.matter_span cascade',
  )
  await server.own(`delete from mattock.run`)
})

describe('a rule', () => {
  it('tells one cause once, by mail and as an event, whatever number of jobs fail by it', async () => {
    await save(rule('night'))
    // io_error: what no job can do anything about
    const disk = `do 'begin raise exception using errcode = ''58030'', message = ''public.not_there is not read''; end'`
    await server.load(breaking('gauges', disk))
    await look()
    await server.load(breaking('lab', disk))
    await server.load(breaking('lab', disk))
    await look()
    await look()
    expect(await send()).toBe(2)
    expect(mails).toHaveLength(1)
    expect(mails[0]!.subject).toBe('dev: The gauges: a failed')
    expect(mails[0]!.headers.get('auto-submitted')).toBe('auto-generated')
    expect((mails[0]!.to as { value: { address: string }[] }).value.map(({ address }) => address)).toEqual(['night@example.org', 'day@example.org']) // prettier-ignore
    expect(mails[0]!.text).toContain('public.not_there')
    expect(mails[0]!.text).toContain('https://loads.example.org/?environment=dev')
    expect(mails[0]!.text).toContain('(Europe/Oslo)')
    expect(events).toHaveLength(1)
    expect(events[0]!.validate()).toBe(true)
    expect(events[0]).toMatchObject({
      type: 'mattock.alert',
      source: '/environments/dev/alerts/night',
      subject: 'dev: The gauges: a failed',
      data: {
        rule: 'night',
        environment: 'dev',
        told: [{ what: 'new', kind: 'failed', job: 'gauges', count: 1 }],
      },
    })
    const { messages } = await log()
    expect(messages.map(({ state, tries }) => [state, tries])).toEqual([['taken', 1], ['taken', 1]]) // prettier-ignore
    expect(messages.map(({ said }) => said).sort()[0]).toMatch(/^a mail to .*250/)
    const seen = await server.reader.call(routes.alerts, { query: dev })
    expect(seen.people).toEqual([])
    expect((await server.operator.call(routes.alerts, { query: dev })).people).toContain(
      'keeper@test.example',
    )
    expect(seen.rules).toMatchObject([
      { open: 1, failed: 0, active: true, to: ['a mail to night@example.org, "B, C" <day@example.org>', 'an event to alarms'] },
    ]) // prettier-ignore
  })
  it('two jobs that fail with the same words, each by itself, are two causes', async () => {
    await save(rule('night', {}, [{ webhook: { on: 'alarms' } }]))
    await server.load(breaking('gauges', 'select 1 / 0'))
    await look()
    await server.load(breaking('lab', 'select 1 / 0'))
    await look()
    const { messages } = await log()
    expect(
      messages.flatMap(({ told }) => told.map(({ what, news }) => [what, news.job, news.count])).sort(),
    ).toEqual([
      ['new', 'gauges', 1],
      ['new', 'lab', 1],
    ])
  })
  it('what failed is not over by growing old, but by a load that is done', async () => {
    await save(rule('night', { cleared: true }, [{ webhook: { on: 'alarms' } }]))
    await server.load(breaking('gauges'))
    await look()
    const later = async (hours: number) => {
      for (const [table, column] of [
        ['run', 'created_at'],
        ['matter_span', 'since'],
        ['alert_watch', 'looked_at'],
      ])
        await server.own(
          `update mattock.${table} set ${column} = ${column} - make_interval(hours => ${hours})`,
        )
      await look()
      await server.own(
        `update mattock.matter_span set until = until - interval '10 minutes' where until is not null`,
      )
      await look()
    }
    const stands = async () =>
      (
        await server.own(
          `select count(*)::int as n from mattock.matter_span where until is null and kind = 'failed'`,
        )
      )[0]!.n
    await later(100)
    expect(await stands()).toBe(1)
    await later(1000)
    expect(await stands()).toBe(1)
    expect((await log()).messages.flatMap(({ told }) => told.map(({ what }) => what))).toEqual(['new'])
    await server.load(breaking('gauges', 'select 1'))
    await look()
    expect(await stands()).toBe(0)
  })
  it('tells that it is over when it has been gone for some minutes', async () => {
    await save(rule('night'))
    await server.load(breaking('gauges'))
    await look()
    await send()
    await server.load(breaking('gauges', 'select 1'))
    await look()
    expect((await log()).total).toBe(2)
    await server.own(`update mattock.alert_open set seen_at = seen_at - interval '6 minutes'`)
    await look()
    await send()
    expect(mails.map(({ subject }) => subject)).toEqual([
      'dev: The gauges: a failed',
      'dev: over: The gauges: a failed',
    ])
    const spans = await server.own('select key, until is not null as over from mattock.matter_span')
    expect(spans).toMatchObject([{ over: true }])
  })
  it('is judged by one of several servers that look at the same time', async () => {
    await save(rule('night', {}, [{ mail: { on: 'post', to: 'a@example.org' } }]))
    await server.load(breaking('gauges'))
    const looks = await Promise.all(
      Array.from({ length: 6 }, () => lookAt(server.engine, 'dev', { asks, look: 60_000 })),
    )
    expect(looks.filter(Boolean)).toHaveLength(1)
    await Promise.all(Array.from({ length: 6 }, send))
    expect(mails).toHaveLength(1)
    // one that took long, while another looked after it, writes nothing
    let late: Promise<boolean> | undefined
    const slow = { ...asks, lookAhead: async (ask: Parameters<typeof lookAhead>[1]) => {
      if (late === undefined) await (late = look())
      return await asks.lookAhead(ask)
    } } // prettier-ignore
    expect(await lookAt(server.engine, 'dev', { asks: slow })).toBe(false)
    expect(await late).toBe(true)
  })
  it('says what becomes of its messages: tried again where that may help, given up where not', async () => {
    await save(rule('night', {}, [{ mail: { on: 'post', to: 'nobody@example.org' } }, { mail: { on: 'post', to: 'a@example.org' } }])) // prettier-ignore
    await server.load(breaking('gauges'))
    await look()
    refused.push('nobody@example.org')
    answers.push(Object.assign(new Error('mailbox busy'), { responseCode: 451 }))
    await send()
    const first = await log()
    expect(first.messages.map(({ to, state }) => [to, state]).sort()).toEqual([['a mail to a@example.org', 'waiting'], ['a mail to nobody@example.org', 'failed']]) // prettier-ignore
    expect(first.messages.find(({ state }) => state === 'failed')!.said).toContain('no such address')
    // not before its time
    expect(await send()).toBe(0)
    await server.own(`update mattock.alert_message set next_at = clock_timestamp() where state = 'waiting'`)
    await send()
    // the same message: who got both can tell
    expect(mails).toHaveLength(2)
    expect(new Set(mails.map(({ messageId }) => messageId)).size).toBe(1)
    // given up, it is sent again when somebody says so
    refused.splice(0)
    const failed = first.messages.find(({ state }) => state === 'failed')!
    await server.operator.call(routes.sendAlertAgain, { params: { id: failed.id } })
    await send()
    expect((await log()).messages.map(({ state }) => state)).toEqual(['taken', 'taken'])
    expect((await server.operator.fault(routes.sendAlertAgain, { params: { id: failed.id } })).code).toBe('unknown-name') // prettier-ignore
  })
  it('is not told by who may not run things there, and not twice by two at once', async () => {
    expect((await server.reader.fault(routes.saveAlert, { body: { rule: rule('night'), before: null } })).code).toBe('forbidden') // prettier-ignore
    await save(rule('night'))
    expect((await server.operator.fault(routes.saveAlert, { body: { rule: rule('night'), before: null } })).code).toBe('conflict') // prettier-ignore
    const [kept] = (await server.reader.call(routes.alerts, { query: dev })).rules
    await save({ ...rule('night'), title: 'Changed' }, kept!.updatedAt)
    expect((await server.operator.fault(routes.saveAlert, { body: { rule: rule('night'), before: kept!.updatedAt } })).code).toBe('conflict') // prettier-ignore
    for (const [given, path] of [
      [{ ...rule('b'), in: ['nowhere'] }, 'in.0'],
      [rule('b', { jobs: ['no-such-job'] }), 'tells.matters.jobs.0'],
      [rule('b', {}, [{ mail: { on: 'alarms', to: 'a@example.org' } }]), 'to.0.mail.on'],
      [rule('b', {}, [{ webhook: { on: 'nothing' } }]), 'to.0.webhook.on'],
      [{ ...rule('b'), name: 'No Name' }, 'name'],
    ] as const)
      expect((await server.operator.fault(routes.saveAlert, { body: { rule: given, before: null } })).where.path).toBe(path) // prettier-ignore
  })
  it('that is switched off tells nothing, and what stands when it is switched on again', async () => {
    await save(rule('night', {}, [{ webhook: { on: 'alarms' } }]))
    await server.operator.call(routes.setAlert, { params: { name: 'night' }, body: { active: false } })
    await server.load(breaking('gauges'))
    await look()
    expect((await log()).total).toBe(0)
    await server.operator.call(routes.setAlert, { params: { name: 'night' }, body: { active: true } })
    await look()
    expect((await log()).total).toBe(1)
    await server.operator.call(routes.dropAlert, { params: { name: 'night' } })
    await look()
    // what it sent stays
    expect((await log('night')).messages).toMatchObject([{ title: 'Rule "night"' }])
    expect((await server.operator.fault(routes.dropAlert, { params: { name: 'night' } })).code).toBe('unknown-name') // prettier-ignore
  })
  it('is tried without anything having happened', async () => {
    await save(rule('night'))
    await server.operator.call(routes.tryAlert, { params: { name: 'night' }, body: dev })
    await send()
    expect(mails[0]!.subject).toBe('dev: a trial of the rule "Rule "night""')
    expect(events[0]).toMatchObject({ type: 'mattock.trial' })
    expect((await server.operator.fault(routes.tryAlert, { params: { name: 'night' }, body: { environment: 'live' } })).where.path).toBe('environment') // prettier-ignore
  })
  it('is quiet on what somebody lets be quiet', async () => {
    await save(rule('night', {}, [{ webhook: { on: 'alarms' } }]))
    await server.load(breaking('gauges'))
    const { decisions } = await server.reader.call(routes.morning, { query: dev })
    const { key, title } = decisions.find(({ kind }) => kind === 'failed')!
    await server.operator.call(routes.keepMatter, { body: { ...dev, key, title, quietUntil: new Date(Date.now() + 3_600_000).toISOString() } }) // prettier-ignore
    await look()
    expect((await log()).total).toBe(0)
    await server.operator.call(routes.keepMatter, { body: { ...dev, key, title, quietUntil: null } })
    await look()
    expect((await log()).total).toBe(1)
  })
})

describe('a summary', () => {
  it('is sent at its time, once, the newest where several were missed', async () => {
    await save({ ...rule('morning'), tells: { summary: { at: '* * * * *' } }, to: [{ mail: { on: 'post', to: 'a@example.org' } }] }) // prettier-ignore
    await server.load(breaking('gauges'))
    await sendSummaries(server.engine, { asks })
    // its times count from when it was made
    await server.own(`update mattock.alert_summary set at = date_trunc('minute', at)`)
    await sendSummaries(server.engine, { asks })
    const before = (await log()).total
    await server.own(`update mattock.alert_summary set at = at - interval '3 hours'`)
    await Promise.all([1, 2, 3].map(() => sendSummaries(server.engine, { asks, address: 'http://here' })))
    expect((await log()).total).toBe(before + 1)
    await send()
    expect(mails.at(-1)!.subject).toBe('dev: 1 matter needs a decision, 1 loads failed')
    expect(mails.at(-1)!.text).toContain('- The gauges: a failed')
    expect(mails.at(-1)!.text).toContain('http://here/?environment=dev')
  })
})

describe('a rule played over the past', () => {
  it('shows what it would have sent, though nobody looked then', async () => {
    const first = await server.load(breaking('gauges'))
    const again = await server.load(breaking('gauges'))
    const good = await server.load(breaking('gauges', 'select 1'))
    // as if that was ten days ago: it failed, failed again, and was done two hours later
    const past = async (run: number, hours: number) => {
      const shift = `interval '10 days' + interval '${hours} hours'`
      await server.own(`update mattock.run set created_at = now() - (${shift}), started_at = now() - (${shift}), ended_at = now() - (${shift}) where id = ${run}`) // prettier-ignore
      await server.own(`update mattock.load set started_at = now() - (${shift}), ended_at = now() - (${shift}) where run_id = ${run}`) // prettier-ignore
    }
    await past(first, 5)
    await past(again, 4)
    await past(good, 2)
    await server.load(breaking('lab'))
    await look()
    const played = await server.reader.call(routes.playAlert, { body: { ...dev, rule: rule('new') } })
    expect(played.messages.map(({ subject }) => subject)).toEqual(['dev: The lab: a failed', 'dev: over: The gauges: a failed', 'dev: The gauges: a failed']) // prettier-ignore
    expect(played).toMatchObject({ total: 3 })
    expect(played.days.reduce((sum, n) => sum + n, 0)).toBe(3)
    expect(played.days[49]).toBe(2)
    // 3 h from the first failure to what was done
    const [, over, told] = played.messages
    expect(Math.round((Date.parse(over!.at) - Date.parse(told!.at)) / 3_600_000)).toBe(3)
    const later = await server.reader.call(routes.playAlert, { body: { ...dev, rule: rule('new', { after: 'PT4H' }) } }) // prettier-ignore
    expect(later.total).toBe(0)
    // where no clock changes, 60 days have 60 mornings at whatever hour one looks
    expect((await server.reader.call(routes.playAlert, { body: { ...dev, rule: { ...rule('new'), zone: 'UTC', tells: { summary: { at: '0 6 * * *' } } } } })).total).toBe(60) // prettier-ignore
    // worked out once more, nothing is there twice
    await fillSpans(server.engine, 'dev', asks.readArrivals)
    expect((await server.reader.call(routes.playAlert, { body: { ...dev, rule: rule('new') } })).total).toBe(
      3,
    )
  })
})

describe('rows far from usual in the past', () => {
  it('are known of the time before anybody looked, for as long as the Morning sheet showed them', async () => {
    await server.own(
      `insert into mattock.coverage (job, environment, part, row_key, slice_from, slice_to, slice_label, state, ended_at, load_id, run_id, loaded_at, loaded_by, rows)
       select 'counted', 'dev', 'bring', 'a', d, d + interval '1 day', to_char(d, 'YYYY-MM-DD'), 'done', d + interval '1 day', 1, 1, d + interval '1 day', 1, case when n = 5 then 0 else 100 + n % 3 end
       from (select n, date_trunc('day', now()) - make_interval(days => n) as d from generate_series(3, 25) n) days`,
    )
    await server.load(breaking('gauges'))
    await look()
    const played = await server.reader.call(routes.playAlert, { body: { ...dev, rule: rule('new', { about: ['silence'] }) } }) // prettier-ignore
    expect(played.messages.map(({ told }) => told[0]!.what)).toEqual(['cleared', 'new'])
    expect(played.messages[1]!.told[0]!.news).toMatchObject({ kind: 'silence', job: 'counted' })
    expect(played.messages[1]!.told[0]!.news.title).toMatch(/has no rows$/)
    expect(Math.round((Date.parse(played.messages[0]!.at) - Date.parse(played.messages[1]!.at)) / 3_600_000)).toBe(18) // prettier-ignore
    await server.own('delete from mattock.coverage')
  })
})

describe('a past that cannot be worked out', () => {
  it('keeps nobody from being told of the present', async () => {
    await save(rule('night', {}, [{ webhook: { on: 'alarms' } }]))
    await server.load(breaking('gauges'))
    const readArrivals = (ask: Parameters<typeof asks.readArrivals>[0]) =>
      ask.late ? Promise.reject(new Error('it took too long')) : asks.readArrivals(ask)
    expect(await lookAt(server.engine, 'dev', { asks: { ...asks, readArrivals } })).toBe(true)
    expect((await log()).total).toBe(1)
    const played = await server.reader.call(routes.playAlert, { body: { ...dev, rule: rule('new') } })
    expect(Date.now() - Date.parse(played.knownFrom)).toBeLessThan(60_000)
  })
})

describe('what is to come', () => {
  const stands = async () =>
    (
      await server.own(
        `select kind from mattock.matter_span where environment = 'dev' and until is null order by kind`,
      )
    ).map(({ kind }) => kind)
  it.each([
    ['does not come', () => new Promise<never>(() => undefined)],
    ['cannot be worked out', () => Promise.reject(new Error('busy'))],
  ])(
    'that %s keeps nobody from being told of what is; what it told stays as it is',
    async (_what, lookAhead) => {
      await save(rule('night', {}, [{ webhook: { on: 'alarms' } }]))
      await server.load(breaking('gauges'))
      await server.own(
        `insert into mattock.matter_span (environment, key, kind, cause, job, title, text, since) select 'dev', k, k, k, 'gauges', k, '', mattock.clock() - interval '1 hour' from unnest(array['late', 'drift']) k`,
      )
      const hurried = { asks: { ...asks, lookAhead }, within: 50 }
      expect(await lookAt(server.engine, 'dev', hurried)).toBe(true)
      expect((await log()).total).toBe(1)
      // drift is known without it, and is over
      expect(await stands()).toEqual(['failed', 'late'])
      await look()
      expect(await stands()).toEqual(['failed'])
    },
  )
})

describe('the watch', () => {
  it('looks, tells and sends by itself', async () => {
    await save(rule('night', {}, [{ mail: { on: 'post', to: 'a@example.org' } }]))
    await server.load(breaking('gauges'))
    const end = watchAlerts(server.engine, { asks, look: 100, post: 50 })
    await expect.poll(() => mails.length).toBe(1)
    await new Promise((resolve) => setTimeout(resolve, 600))
    end()
    expect(mails).toHaveLength(1)
  })
})
