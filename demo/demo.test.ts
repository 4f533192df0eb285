import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import { afterAll, describe, expect, it } from 'vitest'
import { csvRecords } from '../core/files/csvRecords'
import { parseJob } from '../core/job/parse'
import { districts, feeds, kindOf, kinds, sendingFeeds } from './basin'
import { fileName, gaugeFile, layDown, oddities, oddityOf } from './gauges'
import { randomFrom } from './random'
import { startStandIns } from './services'

const day = Temporal.PlainDate.from('2026-11-23')
const [feed] = sendingFeeds()

describe('the demo’s feeds', () => {
  it('have names of their own, kinds that there are and districts of the basin', () => {
    const all = feeds()
    expect(new Set(all.map((one) => one.feed)).size).toBe(all.length)
    for (const one of all) {
      expect(kinds).toContain(kindOf(one.kind))
      expect([...districts, 'dunmoor']).toContain(one.district)
    }
    expect(sendingFeeds().length).toBeLessThanOrEqual(all.length)
  })
})

describe('a file of readings', () => {
  it('is the same every time for the same feed and day, and another on another day', () => {
    expect(gaugeFile(feed!, day)).toBe(gaugeFile(feed!, day))
    expect(gaugeFile(feed!, day)).not.toBe(gaugeFile(feed!, day.add({ days: 1 })))
  })

  it('has a reading for each meter and step, and 23 or 25 hours where the clock changes (Europe/Oslo)', () => {
    const rows = (of: string) => csvRecords(gaugeFile(feed!, Temporal.PlainDate.from(of))).length - 1
    const { meters, every } = kindOf(feed!.kind)
    const hour = (60 / every) * meters
    expect(rows('2026-11-23')).toBe(24 * hour)
    expect(rows('2026-03-29')).toBe(23 * hour)
    expect(rows('2026-10-25')).toBe(25 * hour)
  })

  it('is CSV of four columns throughout, times with their offset', () => {
    const [header, ...records] = csvRecords(gaugeFile(feed!, day))
    expect(header).toHaveLength(4)
    for (const record of records) {
      expect(record).toHaveLength(4)
      expect(record[1]).toMatch(/^2026-11-23T\d\d:\d\d:\d\d\+01:00$/)
      expect(Number(record[2])).toBeGreaterThanOrEqual(0)
    }
  })

  it('has the oddities of its day and no others', () => {
    for (const { feed: name, daysAgo, what } of oddities) expect(oddityOf(name, daysAgo)).toBe(what)
    expect(oddityOf(feed!.feed, 1000)).toBeUndefined()
    expect(gaugeFile(feed!, day, 'empty')).toBe('')
    expect(gaugeFile(feed!, day, 'broken-rows')).not.toBe(gaugeFile(feed!, day))
  })
})

describe('a folder of readings', () => {
  const folder = mkdtempSync(join(tmpdir(), 'mattock-demo-'))
  afterAll(() => rmSync(folder, { recursive: true, force: true }))

  it('gets a file for each feed that sends, under its name', () => {
    layDown(folder, day, 1000, 'on-time')
    const names = readdirSync(folder).filter((name) => name.endsWith('.csv'))
    expect(names).toContain(fileName(feed!, day))
    expect(names.length).toBe(sendingFeeds().length)
    expect(readFileSync(join(folder, fileName(feed!, day)), 'utf8')).toBe(gaugeFile(feed!, day))
  })
})

describe('random numbers of the demo', () => {
  it('are the same for a seed, and others for another', () => {
    const take = (seed: string) => Array.from({ length: 5 }, randomFrom(seed))
    expect(take('a')).toEqual(take('a'))
    expect(take('a')).not.toEqual(take('b'))
    expect(take('a').every((n) => n >= 0 && n < 1)).toBe(true)
  })
})

describe('the demo’s jobs', () => {
  const folder = join(import.meta.dirname, 'definitions')
  it.each(readdirSync(folder))('%s is a document that can be saved', (name) => {
    const { job, faults } = parseJob(readFileSync(join(folder, name), 'utf8'))
    expect(faults).toEqual([])
    expect(`${job!.name}.yaml`).toBe(name)
  })
})

describe('the stand-ins of outside services', () => {
  it('answer by pages, the same each time, and nothing outside the span', async () => {
    const standIns = await startStandIns(() => Date.parse('2026-11-10T12:00:00Z'))
    try {
      // a service of an address that is not there answers so
      expect((await fetch(`${standIns.fieldwork}/no-such`)).status).toBe(404)
      expect(standIns.fieldwork).not.toBe(standIns.rainfall)
      // they go by the clock they are given
      const read = async (as: string) => ((await (await fetch(`${standIns.rainfall}/readings?gauge=ridge&month=2026-11${as}`)).json()) as unknown[]).length // prettier-ignore
      expect(await read('')).toBe(9 * 24)
      expect(await read('&as_of=2026-11-04')).toBe(3 * 24)
      for (const base of [standIns.fieldwork, standIns.rainfall])
        expect(new URL(base).hostname).toBe('127.0.0.1')
    } finally {
      standIns.close()
    }
  })
})
