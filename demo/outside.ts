import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import { sendingFeeds, zone, type Feed } from './basin'
import { comesAt, deliverGauge, newOddity, oddityOf, type Oddity } from './gauges'
import { laboratories, layReport } from './lab'
import { layTelemetry } from './telemetry'

/** Something that somebody outside sends at a time. */
interface Delivery {
  readonly at: number
  readonly send: () => void | Promise<void>
}

/** The day that a demo's history is counted back from. */
export function begunOn(folder: string): Temporal.PlainDate | undefined {
  const day = join(folder, 'demo-day')
  return existsSync(day) ? Temporal.PlainDate.from(readFileSync(day, 'utf8').trim()) : undefined
}

/** What happens to a file: what the demo's past says of a day that still belongs to it. */
function oddityOn(begun: Temporal.PlainDate | undefined, feed: Feed, day: Temporal.PlainDate): Oddity['what'] | undefined {
  const ago = begun ? day.until(begun).days : 0
  return ago >= 1 ? oddityOf(feed.feed, ago) : newOddity(feed, day)
} // prettier-ignore

/** Days that are made up for where the demo was not running. */
const most = 14

const file = (folder: string): string => join(folder, 'outside.json')

/** Up to when everything was sent; milliseconds since 1970, undefined where nothing was sent after the demo's history yet. */
export function sentThrough(folder: string): number | undefined {
  if (!existsSync(file(folder))) return undefined
  const { through } = JSON.parse(readFileSync(file(folder), 'utf8')) as { through?: number }
  return through
}

function keepThrough(folder: string, through: number): void {
  writeFileSync(`${file(folder)}.new`, JSON.stringify({ through }))
  renameSync(`${file(folder)}.new`, file(folder))
}

/**
 * Sends what is due after a time and up to another: gauge files as each district sends them, some late, now and then one that
 * never comes or comes once more with corrections; the telemetry after midnight; the laboratories' workbooks on Mondays.
 * @param through milliseconds since 1970: all up to here was sent
 * @returns how many were sent
 */
export async function sendDue(folder: string, through: number, now: number): Promise<number> {
  // a clock that stands before it has nothing to send, and what was sent is not forgotten
  if (now < through) return 0
  const due = deliveries(folder, through, now)
    .filter(({ at }) => at > through && at <= now)
    .sort((a, b) => a.at - b.at)
  for (const { at, send } of due) {
    await send()
    // who ends hard in between sends what was sent once more, as it was
    keepThrough(folder, at)
  }
  keepThrough(folder, now)
  return due.length
}

function deliveries(folder: string, through: number, now: number): Delivery[] {
  const drop = join(folder, 'gauge-drop')
  const landing = join(folder, 'landing', 'live')
  const dayOf = (at: number) =>
    Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDate()
  const last = dayOf(now)
  const first = dayOf(Math.max(through, now - most * 86_400_000)).subtract({ days: 1 })
  const begun = begunOn(folder)
  const found: Delivery[] = []
  for (let day = first; Temporal.PlainDate.compare(day, last) <= 0; day = day.add({ days: 1 })) {
    const sent = day
    for (const feed of sendingFeeds()) {
      const oddity = oddityOn(begun, feed, sent)
      const late = oddity === 'late'
      if (oddity !== 'missing')
        found.push({
          at: comesAt(feed, sent, late).epochMilliseconds,
          send: () => deliverGauge(drop, feed, sent, late ? undefined : oddity),
        })
      if (oddity === 'sent-twice')
        found.push({
          at: comesAt(feed, sent, true).epochMilliseconds,
          send: () => deliverGauge(drop, feed, sent, 'corrected'),
        })
    }
    found.push({
      at: sent.add({ days: 1 }).toZonedDateTime(zone).add({ minutes: 30 }).epochMilliseconds,
      send: () => layTelemetry(landing, sent),
    })
    // a week is reported on the Monday after it
    if (sent.dayOfWeek === 7)
      found.push({
        at: sent.add({ days: 1 }).toZonedDateTime({ timeZone: zone, plainTime: '07:40' }).epochMilliseconds,
        send: async () => {
          for (const lab of laboratories)
            await layReport(join(folder, 'lab-post'), lab, sent.subtract({ days: 6 }), lab === 'hexley')
        },
      })
  }
  return found
}

/**
 * Goes on sending while the demo runs.
 * @param now the clock of the demo, in milliseconds since 1970
 * @param every milliseconds between two looks
 */
export function keepSending(
  folder: string,
  now: () => Promise<number>,
  every: number,
  log: (error: unknown) => void,
): () => void {
  let timer: NodeJS.Timeout
  let stopped = false
  const round = async () => {
    try {
      const at = await now()
      await sendDue(folder, sentThrough(folder) ?? at, at)
    } catch (error) {
      log(error)
    }
    if (!stopped) timer = setTimeout(() => void round(), every)
  }
  void round()
  return () => {
    stopped = true
    clearTimeout(timer)
  }
}
