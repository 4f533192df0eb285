import { createServer, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { Temporal } from 'temporal-polyfill'
import { districts, zone } from './basin'
import { randomFrom } from './random'

/** Stand-ins for two outside systems: small HTTP services on the loopback, every answer from the seed. */
export interface StandIns {
  readonly fieldwork: string
  readonly rainfall: string
  close(): void
}

const pick = <T>(random: () => number, list: readonly T[]): T => list[Math.floor(random() * list.length)]!

interface Order {
  readonly opened: string
}

/** Work orders opened on a day, as nested documents. */
function ordersOf(day: Temporal.PlainDate): Order[] {
  const random = randomFrom(`orders ${day.toString()}`)
  const first = day.since(Temporal.PlainDate.from('2025-01-01')).days * 40
  return Array.from({ length: 14 + Math.floor(random() * 16) }, (_, i) => {
    const opened = day.toZonedDateTime(zone).add({ minutes: 360 + Math.floor(random() * 700) })
    const district = pick(random, districts)
    return {
      no: 100_000 + first + i,
      opened: opened.toInstant().toString(),
      closed: random() < 0.8 ? opened.add({ minutes: 40 + Math.floor(random() * 3000) }).toInstant().toString() : null,
      kind: pick(random, ['leak', 'meter change', 'valve check', 'low pressure', 'inspection']),
      site: { district, street: pick(random, ['Mill Lane', 'Quarry Road', 'Weir Street', 'The Locks']), position: { lat: Number((58 + random()).toFixed(5)), lon: Number((7 + random()).toFixed(5)) } },
      crew: { lead: pick(random, ['crew A', 'crew B', 'crew C']), size: 1 + Math.floor(random() * 4) },
      tasks: Array.from({ length: 1 + Math.floor(random() * 3) }, () => ({
        what: pick(random, ['dig', 'replace', 'measure', 'flush', 'seal']), minutes: 10 + Math.floor(random() * 200),
        parts: Array.from({ length: Math.floor(random() * 3) }, () => ({ sku: `K-${100 + Math.floor(random() * 60)}`, count: 1 + Math.floor(random() * 4) })),
      })),
      labels: random() < 0.3 ? ['night'] : [],
    } // prettier-ignore
  })
}

function workOrders(url: URL, now: Temporal.Instant): object {
  const from = Temporal.Instant.from(
    url.searchParams.get('opened_from') ?? now.subtract({ hours: 72 }).toString(),
  )
  const to = Temporal.Instant.from(url.searchParams.get('opened_to') ?? now.toString())
  const orders: Order[] = []
  let day = from.toZonedDateTimeISO(zone).toPlainDate()
  const last = to.toZonedDateTimeISO(zone).toPlainDate()
  while (Temporal.PlainDate.compare(day, last) <= 0 && orders.length < 20_000) {
    orders.push(...ordersOf(day).filter(({ opened }) => opened >= from.toString() && opened < to.toString()))
    day = day.add({ days: 1 })
  }
  const size = Math.min(200, Number(url.searchParams.get('size') ?? 50))
  const page = Number(url.searchParams.get('page') ?? 1)
  return { total: orders.length, page, orders: orders.slice((page - 1) * size, page * size) }
}

export const gauges = ['ridge', 'upper-basin', 'dunmoor', 'thornby-works', 'sallow-bridge', 'corrie-head', 'hexley-moor', 'brackwell'] as const // prettier-ignore

/** Days after which a reading is corrected no more. */
const settledAfter = 45

/** Hourly rain of a gauge in a month. What is younger than 45 days is provisional, and is another value each week until then. */
function readings(url: URL, now: Temporal.Instant): object {
  const currentDay = now.toZonedDateTimeISO(zone).toPlainDate()
  const gauge = url.searchParams.get('gauge') ?? ''
  const month = Temporal.PlainYearMonth.from(
    url.searchParams.get('month') ?? currentDay.toPlainYearMonth().toString(),
  )
  // as the office knew them on a day; a run of the demo's past asks for its own
  const today = Temporal.PlainDate.from(url.searchParams.get('as_of') ?? currentDay.toString())
  const rows: object[] = []
  for (let n = 1; n <= month.daysInMonth; n++) {
    const day = month.toPlainDate({ day: n })
    const age = today.since(day).days
    if (age < 1) break
    const rain = randomFrom(`rain ${day.toString()}`)() < 0.45
    const random = randomFrom(`${gauge} ${day.toString()}`)
    const correction =
      age >= settledAfter ? 1 : 0.9 + 0.2 * randomFrom(`${gauge} ${day.toString()} ${today.weekOfYear}`)()
    for (let hour = 0; hour < 24; hour++) {
      const value = rain && random() < 0.4 ? random() * 4 : 0
      rows.push({
        gauge,
        read_at: day.toZonedDateTime({ timeZone: 'UTC', plainTime: { hour } }).toInstant().toString(),
        mm: Number((value * correction).toFixed(1)),
        provisional: age < settledAfter,
      })
    }
  }
  return rows
}

/** Starts both on one free port of the loopback. They go by a clock (milliseconds since 1970). Fieldwork answers 429 or 503 now and then, as the real one does. */
export async function startStandIns(now: () => number = Date.now): Promise<StandIns> {
  let asked = 0
  const server = createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://127.0.0.1')
    const at = Temporal.Instant.fromEpochMilliseconds(Math.round(now()))
    try {
      if (url.pathname === '/fieldwork/work-orders') {
        asked++
        if (asked % 19 === 0) return refuse(response, 429, 'too many requests', '1')
        if (asked % 31 === 0) return refuse(response, 503, 'being maintained')
        return answer(response, workOrders(url, at))
      }
      if (url.pathname === '/rainfall/readings') return answer(response, readings(url, at))
      if (url.pathname === '/rainfall/gauges')
        return answer(
          response,
          gauges.map((gauge, i) => ({ gauge, height_m: 120 + 90 * i, since: `20${10 + i}-04-01` })),
        )
      refuse(response, 404, 'no such address')
    } catch (error) {
      refuse(response, 400, (error as Error).message)
    }
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  return {
    fieldwork: `http://127.0.0.1:${port}/fieldwork`,
    rainfall: `http://127.0.0.1:${port}/rainfall`,
    close: () => {
      server.closeAllConnections()
      server.close()
    },
  }
}

function answer(response: ServerResponse, body: object): void {
  response.setHeader('content-type', 'application/json')
  response.end(JSON.stringify(body))
}

function refuse(response: ServerResponse, status: number, error: string, retryAfter?: string): void {
  response.statusCode = status
  if (retryAfter) response.setHeader('retry-after', retryAfter)
  answer(response, { error })
}
