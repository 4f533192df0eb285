import { mkdirSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { Temporal } from 'temporal-polyfill'
import { districts, zone } from './basin'
import { stamp } from './gauges'
import { randomFrom } from './random'

/** Minutes between two values of a pump. */
const every = 15
const pumps = 4

/** Lays down what the pumps of every district sent on a day, as it lands after midnight; of one, `broken`, a value is no number. */
export function layTelemetry(
  landing: string,
  day: Temporal.PlainDate,
  broken?: string,
  only: readonly string[] = districts,
): void {
  mkdirSync(landing, { recursive: true })
  const start = day.toZonedDateTime(zone)
  const end = day.add({ days: 1 }).toZonedDateTime(zone)
  for (const district of only) {
    const random = randomFrom(`telemetry ${district} ${day.toString()}`)
    const lines = ['pump,read_at,kw,running']
    for (let at = start; at.epochMilliseconds < end.epochMilliseconds; at = at.add({ minutes: every }))
      for (let pump = 1; pump <= pumps; pump++) {
        const running = random() < 0.7
        const kw = running ? (18 + 9 * random()).toFixed(2) : '0.00'
        lines.push(`${district.slice(0, 2).toUpperCase()}-P${pump},${at.toString({ timeZoneName: 'never', smallestUnit: 'second' })},${kw},${running}`) // prettier-ignore
      }
    if (district === broken) lines[100] = lines[100]!.replace(/,[\d.]+,(true|false)$/, ',n/a,$1')
    const file = join(landing, `telemetry_${district}_${stamp(day)}.csv`)
    writeFileSync(file, `${lines.join('\n')}\n`)
    const came = end.add({ minutes: 4 + Math.floor(20 * random()) }).epochMilliseconds / 1000
    utimesSync(file, came, came)
  }
}
