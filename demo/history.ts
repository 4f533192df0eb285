import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import type { Engine } from '../engine/context'
import { makePlan } from '../engine/planning'
import { rerunFailed, startRun } from '../engine/runs'
import { zone } from './basin'
import { layDown, oddities } from './gauges'
import { randomFrom } from './random'
import { demoToday } from './seed'

/** Days of history; MATTOCK_DEMO_DAYS makes it shorter. */
export const historyDays = Number(process.env.MATTOCK_DEMO_DAYS ?? 60)
/** Behind everything that a person starts. */
const background = 100

/**
 * Makes the demo's past by really running the jobs, day after day, with the clock of their runs set to that night.
 * Goes on from where it was after a restart. `report` is told the days done.
 */
export async function makeHistory(
  engine: Engine,
  folder: string,
  report: (done: number, total: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const today = demoToday()
  const now = process.env.MATTOCK_TODAY
    ? today.toZonedDateTime({ timeZone: zone, plainTime: '10:00' })
    : Temporal.Now.zonedDateTimeISO(zone)
  const drop = join(folder, 'gauge-drop')
  for (let daysAgo = historyDays; daysAgo >= 1; daysAgo--) {
    if (signal.aborted) return
    report(historyDays - daysAgo, historyDays)
    const day = today.subtract({ days: daysAgo })
    const morning = day.add({ days: 1 })
    const night = (time: string): Temporal.ZonedDateTime => {
      const minutes = Math.floor(randomFrom(`${day.toString()} ${time}`)() * 6)
      return morning
        .toZonedDateTime({ timeZone: zone, plainTime: time })
        .add({ minutes, seconds: 7 * minutes })
    }
    const step = async (time: string, work: (at: Temporal.ZonedDateTime) => Promise<void>) => {
      const at = night(time)
      if (signal.aborted || Temporal.ZonedDateTime.compare(at, now) > 0) return
      await work(at)
    }
    await step('02:10', (at) => runOnce(engine, 'registry-copy', undefined, at, signal))
    layDown(drop, day, daysAgo, 'on-time')
    await step('05:50', (at) => runOnce(engine, 'gauge-readings', day.toString(), at, signal))
    layDown(drop, day, daysAgo, 'late')
    const feed = oddities.find(
      (oddity) => oddity.daysAgo === daysAgo && (oddity.what === 'late' || oddity.what === 'sent-twice'),
    )
    if (feed) {
      await step('09:10', (at) =>
        feed.what === 'late'
          ? rerunOnce(engine, 'gauge-readings', at, signal)
          : runOnce(engine, 'gauge-readings', day.toString(), at, signal, `row.feed == '${feed.feed}'`),
      )
    }
  }
  report(historyDays, historyDays)
}

const by = 'I. Marek'

async function ended(engine: Engine, run: number, signal: AbortSignal): Promise<void> {
  while (!signal.aborted) {
    const { rows } = await engine.db.$client.query<{ state: string }>(
      'select state from mattock.run where id = $1',
      [run],
    )
    if (rows[0]?.state !== 'running') return
    await new Promise((resolve) => setTimeout(resolve, 60))
  }
}

/** Was a run begun in that minute already, before a restart? */
async function begunAt(engine: Engine, job: string, at: Temporal.ZonedDateTime): Promise<boolean> {
  const { rows } = await engine.db.$client.query<{ there: boolean }>(
    `select exists (select 1 from mattock.run where job = $1 and environment = 'live' and created_at between $2::timestamptz - interval '1 minute' and $2::timestamptz + interval '2 minutes') as there`,
    [job, at.toInstant().toString()],
  )
  return rows[0]!.there
}

async function runOnce(
  engine: Engine,
  job: string,
  span: string | undefined,
  at: Temporal.ZonedDateTime,
  signal: AbortSignal,
  only?: string,
): Promise<void> {
  if (await begunAt(engine, job, at)) return
  const { id } = await makePlan(engine, {
    job,
    environment: 'live',
    parameters: {},
    span,
    only,
    by,
    now: at.toInstant().toString(),
  })
  const run = await startRun(engine, {
    plan: id,
    by,
    clockOffset: at.epochMilliseconds - Date.now(),
    priority: background,
  })
  await ended(engine, run, signal)
}

/** Runs again what failed in the newest run of a job. */
async function rerunOnce(
  engine: Engine,
  job: string,
  at: Temporal.ZonedDateTime,
  signal: AbortSignal,
): Promise<void> {
  if (await begunAt(engine, job, at)) return
  const { rows } = await engine.db.$client.query<{ id: number; state: string }>(
    `select id, state from mattock.run where job = $1 and environment = 'live' order by created_at desc limit 1`,
    [job],
  )
  if (rows[0]?.state !== 'failed') return
  const run = await rerunFailed(engine, rows[0].id, {
    by,
    cause: `rerun of ${rows[0].id}`,
    clockOffset: at.epochMilliseconds - Date.now(),
    priority: background,
  })
  await ended(engine, run, signal)
}
