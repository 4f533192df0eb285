import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Temporal } from 'temporal-polyfill'
import type { Engine } from '../engine/context/engine'
import { editDataset } from '../engine/catalog/edit'
import { startKind, startText } from '../core/job/starts'
import { documentOf, versionIn } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { rerun, startRun } from '../engine/running/runs'
import { startSurvey } from '../engine/survey/survey'
import { zone } from './basin'
import { layDown, oddities } from './gauges'
import { laboratories, layReport } from './lab'
import { begunOn, sendDue, sentThrough } from './outside'
import { randomFrom } from './random'
import { demoToday } from './seed'
import { layTelemetry } from './telemetry'

/** Days of history; MATTOCK_DEMO_DAYS makes it shorter. */
export const historyDays = Number(process.env.MATTOCK_DEMO_DAYS ?? 60)
/** The last nights, in which one job runs the others. */
const nights = 4
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
  // what was sent after it says that it is made
  if (sentThrough(folder) !== undefined) return
  const today = beginOn(folder)
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
    if (daysAgo <= nights) {
      // one night a file is broken: it stays in the landing, and the district sends it again the next day
      const landing = join(folder, 'landing', 'live')
      layTelemetry(landing, day, daysAgo === 2 ? 'hexley' : undefined)
      if (daysAgo === 1) layTelemetry(landing, day.subtract({ days: 1 }), undefined, ['hexley'])
      await step('02:10', (at) => runOnce(engine, 'nightly', undefined, at, signal))
    } else await step('02:10', (at) => runOnce(engine, 'registry-copy', undefined, at, signal))
    layDown(drop, day, daysAgo, 'on-time', now.epochMilliseconds)
    await step('05:50', (at) => runOnce(engine, 'gauge-readings', day.toString(), at, signal))
    layDown(drop, day, daysAgo, 'late', now.epochMilliseconds)
    const feed = oddities.find(
      (oddity) => oddity.daysAgo === daysAgo && (oddity.what === 'late' || oddity.what === 'sent-twice'),
    )
    const weekOver = morning.dayOfWeek === 1
    if (weekOver) {
      const monday = morning.subtract({ days: 7 })
      // what the newest workbook of Hexley adds is found by the survey at the end
      if (daysAgo <= 7) await surveyAll(engine, ['lab-post'], 'live', signal)
      for (const lab of laboratories)
        await layReport(join(folder, 'lab-post'), lab, monday, lab === 'hexley' && daysAgo <= 7)
      await step('09:40', (at) => runOnce(engine, 'lab-results', monday.toString(), at, signal))
    }
    // also where a month is over
    if (weekOver || morning.day === 1)
      await step('04:20', (at) =>
        runOnce(engine, 'rain-gauges', `${months(day, -1)}/${months(day, 1)}`, at, signal),
      )
    // the newest waits, as every morning, until all feeds of its day are in
    await step('06:20', (at) =>
      (daysAgo === 1 ? beginOne : runOnce)(engine, 'zone-water', day.toString(), at, signal),
    )
    if (morning.day === 1)
      await step('06:40', (at) => runOnce(engine, 'zone-month', day.with({ day: 1 }).toString(), at, signal))
    await step('03:10', (at) => runOnce(engine, 'work-orders', day.toString(), at, signal))
    if (daysAgo === 1) await step('02:40', (at) => runOnce(engine, 'lake-copy', undefined, at, signal))
    if (feed) {
      await step('09:10', (at) =>
        feed.what === 'late'
          ? rerunOnce(engine, 'gauge-readings', at, signal)
          : runOnce(engine, 'gauge-readings', day.toString(), at, signal, `row.feed == '${feed.feed}'`),
      )
    }
  }
  for (const environment of ['live', 'dev'])
    await surveyAll(
      engine,
      ['gauge-drop', 'landing', 'lab-post', 'assetdb', 'warehouse', 'fieldwork', 'rainfall', 'lake'],
      environment,
      signal,
    )
  await describeSome(engine)
  if (signal.aborted) return
  // what yesterday sends lies there already, whatever the hour: the outside goes on with today's
  const sent = Math.max(
    now.epochMilliseconds,
    today.toZonedDateTime({ timeZone: zone, plainTime: '09:00' }).epochMilliseconds,
  )
  await sendDue(folder, sent, sent)
  report(historyDays, historyDays)
}

/** The day that its days are counted back from: it stays, whenever the demo is started again. */
function beginOn(folder: string): Temporal.PlainDate {
  const before = begunOn(folder)
  if (before) return before
  const today = demoToday()
  writeFileSync(join(folder, 'demo-day'), today.toString())
  return today
}

/** Surveys connections one after the other and takes in what their datasets' rules let in; new columns of known ones wait. */
async function surveyAll(
  engine: Engine,
  connections: readonly string[],
  environment: string,
  signal: AbortSignal,
): Promise<void> {
  const scope = { include: [], exclude: [], prefix: '' }
  for (const connection of connections) {
    if (signal.aborted) return
    const id = await startSurvey(engine, { connection, environment, scope, by, unattended: true }).catch(
      () => undefined,
    )
    while (id !== undefined && !signal.aborted) {
      const { rows } = await engine.db.$client.query<{ state: string }>(
        'select state from mattock.survey where id = $1',
        [id],
      )
      if (!['waiting', 'running'].includes(rows[0]?.state ?? '')) break
      await new Promise((resolve) => setTimeout(resolve, 60))
    }
  }
}

/** What people have said of some datasets, as in a catalog that is in use. */
async function describeSome(engine: Engine): Promise<void> {
  const said = [
    {
      like: 'gauge-drop.%',
      owner: 'network control',
      tags: ['gauges'],
      description: 'Daily files of the districts’ gauges.',
    },
    {
      like: 'lab-post.%',
      owner: 'water quality',
      tags: ['lab'],
      description: 'Weekly workbooks of both laboratories.',
    },
    {
      like: 'assetdb.%',
      owner: 'asset management',
      tags: ['assets'],
      description: 'A table of the asset registry.',
    },
    {
      like: 'warehouse.raw.%',
      owner: 'data platform',
      tags: ['raw'],
      description: 'As it came, typed and checked.',
    },
  ]
  for (const { like, owner, tags, description } of said) {
    const { rows } = await engine.db.$client.query<{ id: number }>(
      `select id from mattock.dataset where name like $1 and owner = ''`,
      [like],
    )
    for (const { id } of rows) await editDataset(engine, id, { owner, tags, description })
  }
}

/** First day of the month so many months from a day's. */
const months = (day: Temporal.PlainDate, away: number): string =>
  day.with({ day: 1 }).add({ months: away }).toString()

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
  // what is asked for some rows alone was asked for by a person
  const decision = only === undefined ? await decided(engine, job, at) : undefined
  const run = await startRun(engine, {
    plan: id,
    by: decision ? `start ${decision.start}` : by,
    ...(decision ? { occasion: decision.id, cause: decision.cause } : {}),
    clockOffset: at.epochMilliseconds - Date.now(),
    past: true,
    priority: background,
  })
  if (decision) await begun(engine, decision.id, id, run)
  await ended(engine, run, signal)
}

/** That the start of a job came at a time of the demo's past, as the scheduler keeps it; undefined for a job that has none. */
async function decided(engine: Engine, name: string, at: Temporal.ZonedDateTime): Promise<{ id: number; start: string; cause: string } | undefined> {
  const job = documentOf(await versionIn(engine, name, 'live'))
  const [start] = job.starts
  if (!start) return undefined
  const cause = startText(start, job)
  const time = at.toInstant().toString()
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, decided_at, not_before)
     values ('live', $1, $2, $3, $4::text, $6::timestamptz, 'started', $5, $6::timestamptz, $6::timestamptz)
     on conflict (environment, job, start, key) do update set cause = excluded.cause returning id`,
    [name, start.id, startKind(start), time, cause, time],
  )
  return { id: rows[0]!.id, start: start.id, cause }
} // prettier-ignore

/** What a decision began: its plan, its run, and the slices that it took. */
async function begun(engine: Engine, occasion: number, plan: number, run: number): Promise<void> {
  await engine.db.$client.query(
    `update mattock.occasion o set plan_id = $2, run_id = $3, begun_at = o.at,
       "from" = (select min(slice_from) from mattock.load where run_id = $3), "to" = (select max(slice_to) from mattock.load where run_id = $3) where id = $1`,
    [occasion, plan, run],
  )
}

/** Begins a run that may wait for others: the history does not wait with it. */
async function beginOne(
  engine: Engine,
  job: string,
  span: string,
  at: Temporal.ZonedDateTime,
): Promise<void> {
  if (await begunAt(engine, job, at)) return
  const { id } = await makePlan(engine, { job, environment: 'live', parameters: {}, span, by, now: at.toInstant().toString() }) // prettier-ignore
  await startRun(engine, { plan: id, by, clockOffset: at.epochMilliseconds - Date.now() })
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
  const run = await rerun(engine, rows[0].id, {
    by,
    cause: `rerun of ${rows[0].id}`,
    clockOffset: at.epochMilliseconds - Date.now(),
    past: true,
    priority: background,
  })
  await ended(engine, run, signal)
}
