import { mkdirSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import pg from 'pg'
import { chromium } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it, vi } from 'vitest'
import { browserFlags } from './support/browser'
import { removeFolder } from './support/folder'
import { startPlain, type Started } from './support/started'

let mattock: Started
let folder: string
beforeAll(async () => {
  mattock = await startPlain('setup')
  folder = mkdtempSync(join(tmpdir(), 'mattock-put-'))
  mkdirSync(drop(), { recursive: true })
  writeFileSync(join(drop(), 'north.csv'), 'meter,value\na,1\nb,2\n')
})
afterAll(async () => {
  await mattock.stop()
  await removeFolder(folder)
  vi.unstubAllEnvs()
})
const drop = () => join(mattock.data, 'stores', 'drop')
const put = (name: string, text: string): string => {
  const file = join(folder, name)
  writeFileSync(file, text)
  return file
}
const connections = () => {
  const at = new URL(inject('cluster'))
  return `mattock: connection/1
name: drop
kind: files
title: Drop
settings:
  dev: {folder: ${JSON.stringify(drop())}}
---
mattock: connection/1
name: warehouse
kind: postgres
title: Warehouse
cap: 4
settings:
  dev: {host: ${at.hostname}, port: ${at.port}, database: ${databaseOf()}, user: ${at.username}}
secret_from: {dev: WAREHOUSE_SECRET}
`
}
const databaseOf = () => new URL(mattock.databaseUrl).pathname.slice(1)
const feeds = `mattock: control/1
name: feeds
title: Feeds
key: [feed]
columns: {feed: text, target: text, due: time, active: boolean}
rules: {target: {required: true}}
rows:
  - {feed: north, target: reading, due: "05:30", active: true}
  - {feed: "it's \\"here\\"", target: reading, active: false}
`
const job = `# readings of each feed
mattock: job/1
name: readings
title: Readings
parts:
  - each: {roster: {control: feeds, where: row.active}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.feed}.csv"}
          into: {connection: warehouse, table: "public.{row.target}", write: append}
`

describe('an installation without a demo', () => {
  it('has a page for the first account, in a real browser', async () => {
    const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: browserFlags })
    try {
      const page = await browser.newPage()
      const faults: string[] = []
      page.on('pageerror', ({ message }) => faults.push(message))
      await page.goto(mattock.first!)
      await page.getByLabel(/Email/).fill('ana@test.example')
      expect(await page.locator('input').count()).toBe(3)
      expect(faults).toEqual([])
    } finally {
      await browser.close()
    }
  })

  it('tells whoever starts it the one address for the first account', async () => {
    expect(mattock.first).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/first#[\w-]{32}$/)
    const { url, hash } = { url: mattock.url, hash: new URL(mattock.first!).hash.slice(1) }
    const make = () =>
      fetch(`${url}/api/invitation`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-mattock': '1' },
        body: JSON.stringify({
          code: hash,
          email: 'ana@test.example',
          name: 'Ana',
          password: 'ten letters and more',
        }),
      })
    expect((await make()).status).toBe(200)
    expect((await make()).status).toBe(410)
    // the code lies nowhere in the folder but in the note that only its owner reads
    const lying = readdirSync(mattock.data).filter((name) => /invitation|first/.test(name))
    expect(lying).toEqual([])
  })

  it('is set up whole by files, and runs', async () => {
    vi.stubEnv('WAREHOUSE_SECRET', new URL(inject('cluster')).password)
    const files = [put('job.yaml', job), put('feeds.yaml', feeds), put('connections.yaml', connections())]
    const { code, out, err } = await mattock.mattock('put', ...files)
    expect(err).toBe('')
    expect(code).toBe(0)
    // in the order in which they rest on each other, however they were given
    expect(out).toBe(
      [
        'connection drop: added, settings for dev',
        'connection warehouse: added, settings for dev with a secret',
        'control feeds: made with 2 rows',
        'job readings: version 1',
        '',
      ].join('\n'),
    )
    const ran = await mattock.mattock('run', 'readings', '--wait')
    expect(ran.out).toContain('2 read = 2 written')
    const client = new pg.Client({ connectionString: mattock.databaseUrl })
    await client.connect()
    expect((await client.query('select meter from public.reading order by 1')).rows).toEqual([
      { meter: 'a' },
      { meter: 'b' },
    ])
    await client.end()
  })

  it('is as it was where the same files are put again', async () => {
    const { out } = await mattock.mattock('put', join(folder, 'feeds.yaml'), join(folder, 'job.yaml'))
    expect(out).toBe('control feeds: as it was\njob readings: as it was, version 1\n')
  })

  it('gives back what was put, and putting that changes nothing', async () => {
    const into = join(folder, 'out')
    expect((await mattock.mattock('get', '--all', '--into', into)).out).toBe(`4 documents in ${into}\n`)
    expect(readFileSync(join(into, 'job', 'readings.yaml'), 'utf8')).toBe(job)
    expect(readFileSync(join(into, 'control', 'feeds.yaml'), 'utf8')).toContain('it\'s "here"')
    const secret = new URL(inject('cluster')).password
    const warehouse = readFileSync(join(into, 'connection', 'warehouse.yaml'), 'utf8')
    expect(warehouse).toContain('dev: WAREHOUSE_DEV_SECRET')
    expect(warehouse).not.toContain(secret)
    vi.stubEnv('WAREHOUSE_DEV_SECRET', secret)
    const all = ['connection/drop', 'control/feeds', 'job/readings'].map((name) => join(into, `${name}.yaml`))
    expect((await mattock.mattock('put', ...all)).out).not.toMatch(/added|changed|version 2/)
    expect((await mattock.mattock('put', join(into, 'connection/warehouse.yaml'))).code).toBe(0)
  })

  it('changes only what differs, and takes rows away only where it is told to', async () => {
    const fewer = feeds.replace(/ {2}- \{feed: "it.*\n/, '').replace('"05:30"', '"06:00"')
    const first = await mattock.mattock('put', put('fewer.yaml', fewer))
    expect(first.out).toBe(
      'control feeds: 1 row changed, 1 row not in the document left there; --remove takes such away\n',
    )
    const second = await mattock.mattock('put', '--remove', join(folder, 'fewer.yaml'))
    expect(second.out).toBe('control feeds: 1 row removed\n')
    const wider = fewer.replace('active: boolean', 'active: boolean, note: text')
    expect((await mattock.mattock('put', put('wider.yaml', wider))).out).toBe(
      'control feeds: column note added\n',
    )
  })

  it('takes a rule of alerts in and out as a document', async () => {
    const rule = `mattock: alert/1
name: on-call
title: Whoever is "on call"
in: [dev]
zone: Europe/Oslo
tells: {matters: {about: [failed, late], quiet: {from: "22:00", until: "06:00"}}}
to:
  - webhook: {on: alarms}
`
    const alarms = `mattock: connection/1\nname: alarms\nkind: webhook\ntitle: Alarms\nsettings: {dev: {address: "https://example.org/events"}}\n`
    const file = put('rule.yaml', `${rule}---\n${alarms}`)
    const first = await mattock.mattock('put', file)
    expect(first.err).toBe('')
    expect(first.out).toBe('connection alarms: added, settings for dev\nalert on-call: added\n')
    expect((await mattock.mattock('put', file)).out).toContain('alert on-call: as it was')
    const got = (await mattock.mattock('get', 'alert', 'on-call', '--env', 'dev')).out
    expect(got).toContain('Whoever is "on call"')
    expect((await mattock.mattock('put', put('again.yaml', got))).out).toBe('alert on-call: as it was\n')
    expect((await mattock.mattock('put', put('changed.yaml', got.replace('failed', 'stuck')))).out).toBe(
      'alert on-call: changed\n',
    )
    const { code, err } = await mattock.mattock(
      'put',
      put('bad.yaml', rule.replace('late', 'gossip').replace('22:00', '26:00')),
    )
    expect(code).toBe(2)
    expect(err).toMatch(/bad\.yaml:6:/)
    expect((await mattock.mattock('get', 'alert', 'no-such', '--env', 'dev')).code).not.toBe(0)
  })
  it('puts nothing where anything is wrong, and names file, line and column', async () => {
    const wrong = put(
      'wrong.yaml',
      `${feeds.replace('name: feeds', 'name: others')}---\n${job.replace('title:', 'titel:')}`,
    )
    const { code, out, err } = await mattock.mattock('put', wrong)
    expect(code).toBe(2)
    expect(out).toBe('')
    expect(err).toContain(`${wrong}:14:1: nothing here is called "titel"; did you mean "title"?`)
    expect(err).toContain('nothing was put')
    expect((await mattock.mattock('get', 'control', 'others')).code).toBe(2)
  })

  it('asks for the variable that holds a secret before it puts anything', async () => {
    delete process.env.WAREHOUSE_SECRET
    const { code, err } = await mattock.mattock('put', join(folder, 'connections.yaml'))
    expect(code).toBe(2)
    expect(err).toContain('the environment variable WAREHOUSE_SECRET is not set')
  })

  it('says how many were put where one is refused on the way', async () => {
    const nowhere = connections()
      .split('---')[0]!
      .replace('name: drop', 'name: third')
      .replace('dev:', 'moon:')
    const { code, err } = await mattock.mattock('put', put('moon.yaml', nowhere))
    expect(code).toBe(1)
    expect(err).toContain('connection third: there is no environment "moon"')
    expect(err).toContain('0 of 1 were put before it')
  })

  it('says what is nearest where a name or a kind is none', async () => {
    expect((await mattock.mattock('get', 'job', 'reading')).err).toContain('did you mean "readings"?')
    expect((await mattock.mattock('get', 'jobs', 'readings')).err).toContain('did you mean "job"?')
    expect((await mattock.mattock('put', join(folder, 'no-such.yaml'))).code).toBe(2)
    expect((await mattock.mattock('put')).code).toBe(2)
  })
})
