import { mkdirSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Temporal } from 'temporal-polyfill'
import { kindOf, sendingFeeds, zone, type Feed } from './basin'
import { randomFrom } from './random'

/** Something that happens to the file of a feed, `daysAgo` days before today. */
export interface Oddity {
  readonly daysAgo: number
  readonly feed: string
  readonly what: 'late' | 'missing' | 'empty' | 'sent-twice' | 'broken-rows' | 'many-broken'
}

/** Everyday trouble, so that the demo's loads fail for reasons that files give. */
export const oddities: readonly Oddity[] = [
  { daysAgo: 47, feed: 'flow_thornby', what: 'late' },
  { daysAgo: 38, feed: 'turbidity_brackwell', what: 'broken-rows' },
  { daysAgo: 33, feed: 'level_sallow', what: 'late' },
  { daysAgo: 26, feed: 'power_hexley', what: 'broken-rows' },
  { daysAgo: 21, feed: 'flow_thornby', what: 'late' },
  { daysAgo: 17, feed: 'pressure_corrie', what: 'missing' },
  { daysAgo: 12, feed: 'level_hexley', what: 'empty' },
  { daysAgo: 9, feed: 'flow_thornby', what: 'late' },
  { daysAgo: 6, feed: 'flow_aldmere', what: 'sent-twice' },
  { daysAgo: 4, feed: 'turbidity_brackwell', what: 'broken-rows' },
  { daysAgo: 2, feed: 'chlorine_sallow', what: 'many-broken' },
  { daysAgo: 1, feed: 'level_hexley', what: 'missing' },
]

export const oddityOf = (feed: string, daysAgo: number): Oddity['what'] | undefined =>
  oddities.find((oddity) => oddity.feed === feed && oddity.daysAgo === daysAgo)?.what

export const stamp = (day: Temporal.PlainDate): string => day.toString().replaceAll('-', '')
export const fileName = (feed: Feed, day: Temporal.PlainDate): string =>
  `${feed.prefix}_${feed.district}_${stamp(day)}.csv`

/** One day's file of a feed; a day with a clock change has 23 or 25 hours of readings. `version` 2 is a correction. */
export function gaugeFile(feed: Feed, day: Temporal.PlainDate, oddity?: Oddity['what'], version = 1): string {
  if (oddity === 'empty') return ''
  const { column, meters, every, usual, swing } = kindOf(feed.kind)
  const random = randomFrom(`${feed.feed} ${day.toString()}`)
  const correction = randomFrom(`${feed.feed} ${day.toString()} corrected`)
  const lines = [`meter,read_at,${column},state`]
  const end = day.add({ days: 1 }).toZonedDateTime(zone).epochMilliseconds
  const start = day.toZonedDateTime(zone)
  const steps = Math.round((end - start.epochMilliseconds) / (every * 60_000))
  const times = Array.from({ length: steps }, (_, i) => {
    const time = start.add({ minutes: every * i })
    return {
      text: time.toString({ timeZoneName: 'never', smallestUnit: 'second' }),
      phase: ((time.hour * 60 + time.minute) / 1440) * 2 * Math.PI,
    }
  })
  for (let meter = 1; meter <= meters; meter++) {
    const name = `${feed.district.slice(0, 2).toUpperCase()}-${feed.prefix.slice(0, 1).toUpperCase()}${String(meter).padStart(2, '0')}`
    const level = usual * (0.7 + 0.6 * random())
    for (const { text, phase } of times) {
      const value = Math.max(0, level + swing * Math.sin(phase - 1.2) + (random() - 0.5) * swing * 0.3)
      const corrected = version === 2 && correction() < 0.04 ? value * 1.02 : value
      const state = random() < 0.01 ? 'estimated ' : 'ok'
      lines.push(`${name},${text},${corrected.toFixed(3)},${state}`)
    }
  }
  if (oddity === 'broken-rows') {
    lines[7] = lines[7]!.replace(/,[\d.]+,/, ',n/a,')
    lines[19] = lines[19]!.split(',').slice(0, 2).join(',')
  }
  if (oddity === 'many-broken')
    for (let i = 30; i < 80; i++) lines[i] = lines[i]!.replace(/,[\d.]+,/, ',<0.05,')
  return lines.join('\r\n') + '\r\n'
}

/** Writes a file with the time it came at; milliseconds since 1970. */
function put(folder: string, name: string, text: string | Buffer, came: number): void {
  const path = join(folder, name)
  writeFileSync(path, text)
  const seconds = came / 1000
  utimesSync(path, seconds, seconds)
}

/** When a day's file comes: in the night after, between 03:40 and 05:20; a late one at 08:47. */
export function comesAt(feed: Feed, day: Temporal.PlainDate, late: boolean): Temporal.ZonedDateTime {
  const minutes = late
    ? 8 * 60 + 47
    : 3 * 60 + 40 + Math.floor(randomFrom(`${feed.feed} ${day.toString()} comes`)() * 100)
  return day.add({ days: 1 }).toZonedDateTime(zone).add({ minutes })
}

/** One day's file of a feed, as it comes, by a time (milliseconds since 1970) at the latest; or, `corrected`, as it comes once more. */
export function deliverGauge(
  folder: string,
  feed: Feed,
  day: Temporal.PlainDate,
  how?: Oddity['what'] | 'corrected',
  latest = Infinity,
): void {
  const late = how === 'late' || how === 'corrected'
  const text = how === 'corrected' ? gaugeFile(feed, day, undefined, 2) : gaugeFile(feed, day, how === 'late' ? undefined : how) // prettier-ignore
  const name = fileName(feed, day)
  const came = Math.min(comesAt(feed, day, late).epochMilliseconds, latest)
  put(folder, how === 'corrected' ? name.replace('.csv', '_corrected.csv') : name, text, came)
}

/** What happens to the file of a feed on a day that is not of the demo's past: most days something does, to one or two. */
export function newOddity(feed: Feed, day: Temporal.PlainDate): Oddity['what'] | undefined {
  const random = randomFrom(`oddity ${day.toString()}`)
  const all = sendingFeeds()
  const one = all[Math.floor(random() * all.length)]!.feed
  const other = all[Math.floor(random() * all.length)]!.feed
  const dice = random()
  if (feed.feed === one) return dice < 0.7 ? 'late' : undefined
  if (feed.feed !== other) return undefined
  return dice < 0.3 ? 'missing' : dice < 0.55 ? 'sent-twice' : dice < 0.65 ? 'broken-rows' : undefined
}

/** Lays down what came in the night after `day`, by a time (milliseconds since 1970) at the latest; late files and corrections only where `late`. */
export function layDown(
  folder: string,
  day: Temporal.PlainDate,
  daysAgo: number,
  which: 'on-time' | 'late',
  latest = Infinity,
): void {
  for (const feed of sendingFeeds()) {
    const oddity = oddityOf(feed.feed, daysAgo)
    if (oddity === 'missing') continue
    if (which === 'on-time' && oddity !== 'late') deliverGauge(folder, feed, day, oddity, latest)
    if (which === 'late' && oddity === 'late') deliverGauge(folder, feed, day, 'late', latest)
    if (which === 'late' && oddity === 'sent-twice') deliverGauge(folder, feed, day, 'corrected', latest)
  }
}

/** Files that lie about and match no pattern. */
export function layStrays(folder: string, today: Temporal.PlainDate): void {
  mkdirSync(folder, { recursive: true })
  const came = today.subtract({ days: 20 }).toZonedDateTime(zone).epochMilliseconds
  put(folder, 'readme.txt', 'Gauge files land here, one for each district, kind and day.\n', came)
  put(
    folder,
    `Copy of flow_corrie_${stamp(today.subtract({ days: 14 }))}.csv`,
    'meter,read_at,flow_lps,state\r\n',
    came,
  )
  put(folder, 'site-photo.png', Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex'), came)
  put(folder, 'export.tmp', 'half a fi', came)
}
