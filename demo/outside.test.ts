import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { sendingFeeds, zone } from './basin'
import { comesAt, fileName, newOddity } from './gauges'
import { keepSending, sendDue, sentThrough } from './outside'

let folder: string
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'mattock-outside-'))
  for (const one of ['gauge-drop', 'landing/live', 'lab-post'])
    mkdirSync(join(folder, one), { recursive: true })
})
afterEach(() => rmSync(folder, { recursive: true, force: true }))

const at = (text: string) => Temporal.PlainDateTime.from(text).toZonedDateTime(zone).epochMilliseconds
const day = Temporal.PlainDate.from('2026-11-25')
const drop = () => readdirSync(join(folder, 'gauge-drop')).sort()

describe('what the outside sends', () => {
  it('comes at its time, not before, and carries it', async () => {
    await sendDue(folder, at('2026-11-26T03:00'), at('2026-11-26T04:30'))
    const early = sendingFeeds().filter(
      (feed) =>
        newOddity(feed, day) === undefined && comesAt(feed, day, false).epochMilliseconds <= at('2026-11-26T04:30'),
    )
    expect(drop()).toEqual(early.map((feed) => fileName(feed, day)).sort())
    expect(early.length).toBeGreaterThan(5)
    const [first] = early
    const { mtimeMs } = statSync(join(folder, 'gauge-drop', fileName(first!, day)))
    expect(mtimeMs).toBe(comesAt(first!, day, false).epochMilliseconds)
    expect(sentThrough(folder)).toBe(at('2026-11-26T04:30'))
  })
  it('is sent once, in whatever steps the clock goes', async () => {
    const steps = Array.from({ length: 60 }, (_, i) => at('2026-11-26T00:00') + i * 20 * 60_000)
    let sent = 0
    for (let i = 1; i < steps.length; i++) sent += await sendDue(folder, steps[i - 1]!, steps[i]!)
    const other = mkdtempSync(join(tmpdir(), 'mattock-outside-'))
    for (const one of ['gauge-drop', 'landing/live', 'lab-post']) mkdirSync(join(other, one), { recursive: true })
    expect(await sendDue(other, steps[0]!, steps.at(-1)!)).toBe(sent)
    expect(readdirSync(join(other, 'gauge-drop')).sort()).toEqual(drop())
    for (const name of drop())
      expect(readFileSync(join(folder, 'gauge-drop', name))).toEqual(readFileSync(join(other, 'gauge-drop', name)))
    rmSync(other, { recursive: true })
  })
  it('holds trouble on most days: late, never, once more with corrections', async () => {
    const days = Array.from({ length: 60 }, (_, i) => day.add({ days: i }))
    const trouble = days.flatMap((one) => sendingFeeds().map((feed) => newOddity(feed, one)).filter(Boolean))
    for (const what of ['late', 'missing', 'sent-twice']) expect(trouble, what).toContain(what)
    expect(trouble.length).toBeLessThan(100)
    // a day's is the same whenever it is asked for
    expect(sendingFeeds().map((feed) => newOddity(feed, day))).toEqual(sendingFeeds().map((feed) => newOddity(feed, day)))
  })
  it('brings telemetry after midnight, and the workbooks of a week on Monday', async () => {
    // 30 November 2026 is a Monday
    await sendDue(folder, at('2026-11-29T12:00'), at('2026-11-30T07:00'))
    expect(readdirSync(join(folder, 'landing/live')).every((name) => name.endsWith('20261129.csv'))).toBe(true)
    expect(readdirSync(join(folder, 'lab-post'))).toEqual([])
    await sendDue(folder, at('2026-11-30T07:00'), at('2026-11-30T08:00'))
    expect(readdirSync(join(folder, 'lab-post')).sort()).toEqual(['lab_corrie_20261123.xlsx', 'lab_hexley_20261123.xlsx'])
  })
  it('sends nothing, and forgets nothing, while the clock stands before what was sent', async () => {
    await sendDue(folder, at('2026-11-26T09:00'), at('2026-11-26T09:00'))
    expect(await sendDue(folder, sentThrough(folder)!, at('2026-11-26T04:00'))).toBe(0)
    expect(sentThrough(folder)).toBe(at('2026-11-26T09:00'))
    expect(drop()).toEqual([])
  })
  it('makes up for two weeks at most where the demo was not running', async () => {
    await sendDue(folder, at('2026-01-01T12:00'), at('2026-11-26T12:00'))
    const days = new Set(drop().map((name) => /\d{8}/.exec(name)![0]))
    expect(days.size).toBeLessThanOrEqual(16)
  })
  it('goes on by itself, by the clock it is given', async () => {
    let now = at('2026-11-26T03:30')
    const end = keepSending(folder, () => Promise.resolve((now += 30 * 60_000)), 5, () => {})
    await expect.poll(() => drop().length).toBeGreaterThan(20)
    end()
    const count = drop().length
    await new Promise((resolve) => setTimeout(resolve, 60))
    expect(drop().length).toBeLessThanOrEqual(count + 40)
  })
}) // prettier-ignore
