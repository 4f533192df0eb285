import { FaultError } from '../../core/fault'
import { answerWords } from '../../core/arrivals/answers'
import { startText, startTimes, isTimed } from '../../core/job/starts'
import { partName, type Job } from '../../core/job/document'
import type { LoadError } from '../../database/records'
import type { Engine } from '../context/engine'
import { readAnswers } from '../arrivals/answers'
import { documentOf, readVersion, versionIn } from '../jobs/versions'
import { pauseAt, pausesSince } from '../scheduling/pauses'
import { clockNow } from '../context/clock'
import { rosterRows } from '../coverage/rosterRows'
import { waitsOfLoad, type ReadNeed } from './read'

/** A slice of a row, or, without one, of a whole job. */
export interface WhyAsk {
  readonly environment: string
  readonly job: string
  readonly part?: string | undefined
  readonly row?: string | undefined
  /** ISO 8601 instants, half-open. */
  readonly from: string
  readonly to: string
  readonly label: string
}

/** A time that goes with a reason. */
export interface When {
  readonly is: 'at' | 'since' | 'from' | 'until' | 'usually by'
  readonly at: string
}

const when = (is: When['is'], at: string | null | undefined): When | null => (at ? { is, at } : null)

/** One reason, with where it can be looked into, and the reasons behind it. */
export interface Reason {
  /** Names the kind of reason. */
  readonly code: 'loaded' | 'running' | 'waits' | 'place' | 'held' | 'failed' | 'stopped' | 'skipped' | 'open' | 'not-yet' | 'paused' | 'decided' | 'left-out' | 'not-there' | 'nobody' | 'said' | 'not-here'
  readonly text: string
  readonly run: number | null
  readonly load: number | null
  readonly plan: number | null
  readonly job: string | null
  readonly when: When | null
  readonly because: readonly Reason[]
} // prettier-ignore

const reason = (code: Reason['code'], text: string, more: Partial<Reason> = {}): Reason => ({
  code, text, run: null, load: null, plan: null, job: null, when: null, because: [], ...more,
}) // prettier-ignore

/** Jobs behind each other that are followed at most. */
const deepest = 5
/** Things that are looked into for one answer at most: a year that waits for months that wait for days has thousands. */
const looked = 40

/** How much may still be looked into. */
interface Budget {
  left: number
}
/** Reasons that are told of one thing at most. */
const most = 8

/**
 * Why a slice did not run, or does not run yet: the reasons, each with those behind it, the nearest first. Never empty: of
 * one that ran it is said.
 * @throws FaultError `unknown-name` for a job that is not there
 */
export async function whyNot(
  engine: Engine,
  ask: WhyAsk,
  depth = 0,
  budget: Budget = { left: looked },
): Promise<Reason[]> {
  budget.left--
  // a job that is not there at all is a fault of who asks
  await readVersion(engine, ask.job)
  const version = await versionIn(engine, ask.job, ask.environment).catch((error: unknown) => {
    if (error instanceof FaultError) return error
    throw error
  })
  if (version instanceof FaultError) return [reason('not-here', version.fault.message, { job: ask.job })]
  const job = documentOf(version)
  const reasons = await reasonsOf(engine, ask, job, depth, budget)
  return reasons[0]?.code === 'loaded' ? reasons : [...reasons, ...(await saidOfFile(engine, ask))]
}

async function reasonsOf(engine: Engine, ask: WhyAsk, job: Job, depth: number, budget: Budget): Promise<Reason[]> {
  const moving = await underWay(engine, ask, depth, budget)
  if (moving.length > 0) return moving
  const ended = await whatBecame(engine, ask)
  return ended.length > 0 ? ended : await neverTaken(engine, ask, job)
} // prettier-ignore

/** What somebody said about the file of a row and slice. */
async function saidOfFile(engine: Engine, { environment, job, part, row, from }: WhyAsk): Promise<Reason[]> {
  if (part === undefined || row === undefined) return []
  const answers = (await readAnswers(engine, environment, job)).get(`${part}\n${row}`) ?? []
  const own = answers.filter((one) => Date.parse(one.from) === Date.parse(from) || (one.kind === 'never' && Date.parse(one.from) < Date.parse(from)))
  return own.map((one) => reason('said', `${one.by} said that ${answerWords(one)}: ${one.why}`, { job, when: when('at', one.at) }))
} // prettier-ignore

interface Moving {
  readonly id: string
  readonly run: number
  readonly state: 'waiting' | 'running' | 'held'
  readonly key: string
  readonly lane: number
  readonly worker: number | null
  readonly waits: string | null
  readonly runState: string
  readonly heldBy: string | null
  readonly partState: string
  readonly atOnce: number
  readonly running: number
  readonly loads: number
}

/** Loads of it that are under way; of those that are alike, one. */
async function underWay(engine: Engine, { environment, job, part, row, from, to }: WhyAsk, depth: number, budget: Budget): Promise<Reason[]> {
  const { rows } = await engine.db.$client.query<Moving>(
    `select distinct on (l.state, l.lane < 0, r.id, p.part) l.id::text as id, r.id as run, l.state, l.key, l.lane, l.worker, l.waits_for as waits, r.state as "runState", r.held_by as "heldBy",
       p.state as "partState", p.at_once as "atOnce", p.running, count(*) over (partition by l.state, l.lane < 0, r.id, p.part)::int as loads
     from mattock.run r join mattock.load l on l.run_id = r.id join mattock.run_part p on p.run_id = l.run_id and p.part = l.part
     where r.environment = $1 and r.job = $2 and r.state in ('running', 'held', 'waiting') and l.state in ('waiting', 'running', 'held')
       and l.slice_from = $3 and l.slice_to = $4 and ($5::text is null or coalesce(l.row_key, '') = $5) and ($6::text is null or coalesce(p.id, '#' || p.part) = $6)
     order by l.state, l.lane < 0, r.id, p.part, l.number limit ${most}`,
    [environment, job, from, to, row ?? null, part ?? null],
  )
  const reasons: Reason[] = []
  for (const one of rows) reasons.push(await whyMoving(engine, one, environment, depth, budget))
  return reasons
} // prettier-ignore

async function whyMoving(engine: Engine, one: Moving, environment: string, depth: number, budget: Budget): Promise<Reason> {
  const at = { run: one.run, load: Number(one.id) }
  const what = one.loads === 1 ? 'its load' : `${one.loads.toLocaleString('en')} loads of it`
  if (one.state === 'running') return reason('running', `run ${one.run} is at it${one.waits === null ? '' : `, and waits for ${one.waits}`}`, at)
  if (one.state === 'held') return reason('held', `${what} stopped for a look in run ${one.run}, and goes on when told`, at)
  if (one.runState === 'waiting') return reason('waits', `run ${one.run} waits for another run of its job to end`, at)
  if (one.lane < 0) {
    const waits = await waitsOfLoad(engine, Number(one.id))
    const open = waits?.needs.filter(({ met }) => met === null) ?? []
    const because: Reason[] = []
    for (const need of open.slice(0, most)) because.push(await whyNeed(engine, need, environment, depth, budget))
    return reason('waits', `${what} in run ${one.run} waits for ${open.length === 1 ? needWords(open[0]!) : `${open.length} things`}`, { ...at, when: when('since', waits?.since), because })
  }
  if (one.runState === 'held') return reason('held', `run ${one.run} is held${one.heldBy === null ? '' : ` by ${one.heldBy}`}`, at)
  if (one.partState === 'waiting' || one.partState === 'asking') return reason('waits', `${what} waits in run ${one.run} for the part before it`, at)
  if (one.running >= one.atOnce) return reason('place', `${what} waits in run ${one.run} for a place: ${one.atOnce} of its part run at once`, at)
  return reason('place', `${what} waits in run ${one.run} for a place at a worker, or at a connection`, at)
} // prettier-ignore

/** What a need is, in words, after "waits for". */
export function needWords({
  kind,
  job,
  row,
  run,
  label,
  step,
  dataset,
  pattern,
  store,
  marker,
}: ReadNeed): string {
  if (kind === 'run') return `run ${run}`
  if (kind === 'slice') return `${label} of ${job}${row === null ? '' : `, ${row}`}`
  if (kind === 'refresh') return `a refresh of ${dataset}`
  if (step !== null) return `${step} of ${job}, for ${label}`
  return `${pattern} in ${store}${marker === null ? '' : `, with its ${marker}`}`
}

async function whyNeed(engine: Engine, need: ReadNeed, environment: string, depth: number, budget: Budget): Promise<Reason> {
  const more = { job: need.job, run: need.run, when: when('usually by', need.usual) }
  if (need.kind === 'run') return reason('waits', `run ${need.run} is not done`, { run: need.run })
  if (need.kind !== 'slice' && need.step === null)
    return reason('waits', need.seen.length > 0 ? `${needWords(need)}: ${need.seen[0]!.path} is there, and not whole yet` : `${needWords(need)} has not come`)
  const because = depth < deepest && budget.left > 0 ? await whyNot(engine, { environment, job: need.job!, row: need.row ?? undefined, from: iso(need.from!), to: iso(need.to!), label: need.label! }, depth + 1, budget) : []
  return reason('waits', `${needWords(need)} is not ${need.step !== null ? 'done' : 'loaded'}`, { ...more, because })
} // prettier-ignore

const iso = (text: string): string => new Date(text).toISOString()

interface Ended {
  readonly state: string
  readonly row: string
  readonly run: number
  readonly load: string
  readonly at: string
  readonly error: LoadError | null
  readonly loadedAt: string | null
  readonly rows: number
}

/** What became of it where loads of it have ended; of a whole job what was not done alone, or that all was. */
async function whatBecame(engine: Engine, { environment, job, part, row, from, to }: WhyAsk): Promise<Reason[]> {
  const { rows } = await engine.db.$client.query<Ended>(
    `select c.state, c.row_key as row, c.run_id as run, c.load_id::text as load, c.ended_at as at, l.error, c.loaded_at as "loadedAt", c.rows
     from mattock.coverage c left join mattock.load l on l.id = c.load_id
     where c.environment = $1 and c.job = $2 and c.slice_from = $3 and c.slice_to = $4 and ($5::text is null or c.row_key = $5) and ($6::text is null or c.part = $6)
     order by c.state in ('done', 'skipped'), c.ended_at desc`,
    [environment, job, from, to, row ?? null, part ?? null],
  )
  const undone = rows.filter(({ state }) => state === 'failed' || state === 'stopped')
  const shown = undone.length > 0 ? undone : rows
  // many that ended the same way are one reason
  const groups = new Map<string, Ended[]>()
  for (const one of shown) {
    const key = `${one.state} ${one.run} ${one.error?.code ?? ''}`
    groups.set(key, [...(groups.get(key) ?? []), one])
  }
  return [...groups.values()].slice(0, most).map((list) => {
    const [first] = list
    const at = { run: first!.run, load: first!.error === null && first!.state !== 'done' ? null : Number(first!.load), when: when('at', first!.at) }
    const what = list.length > 1 ? `${list.length.toLocaleString('en')} loads` : row === undefined && first!.row !== '' ? `the load of ${first!.row}` : 'its load'
    const before = first!.loadedAt !== null && first!.state !== 'done' ? '; what was loaded before is there' : ''
    if (first!.state === 'failed') return reason('failed', `${what} failed in run ${first!.run}${first!.error ? `: ${first!.error.message}; ${first!.error.advice}` : ''}${before}`, at)
    if (first!.state === 'stopped') return reason('stopped', `${what} ended with run ${first!.run}, which was stopped${before}`, at)
    if (first!.state === 'skipped') return reason('skipped', `${what} was left out in run ${first!.run}${first!.error ? `: ${first!.error.message}` : ''}${before}`, at)
    return reason('loaded', list.length > 1 ? `all ${list.length.toLocaleString('en')} loads of it are done` : `it was loaded by run ${first!.run}, ${first!.rows.toLocaleString('en')} rows`, at)
  })
} // prettier-ignore

/** Why no run has taken it up. */
async function neverTaken(engine: Engine, ask: WhyAsk, job: Job): Promise<Reason[]> {
  const now = await clockNow(engine)
  if (Date.parse(ask.to) > now) return [reason('open', `${ask.label} is not over yet`, { when: when('at', ask.to), job: job.name })]
  const reasons: Reason[] = []
  if (ask.row !== undefined) reasons.push(...(await withoutRow(engine, ask, job)))
  const decided = await decidedAbout(engine, ask)
  reasons.push(...decided)
  if (decided.length === 0) reasons.push(...(await noStart(engine, ask, job, now)))
  return reasons.length > 0 ? reasons : [reason('nobody', 'no run has taken it up, and no start has come for it', { job: job.name })]
} // prettier-ignore

/** Runs that took the slice without the row, and why. */
async function withoutRow(engine: Engine, { environment, job: name, part, row, from, to }: WhyAsk, job: Job): Promise<Reason[]> {
  const reasons: Reason[] = []
  const { rows } = await engine.db.$client.query<{ run: number; plan: number; only: string | null; picks: boolean; left: boolean; at: string }>(
    `select r.id as run, p.id as plan, p."only", p.picks is not null as picks, r.created_at as at,
       exists (select 1 from mattock.planned_load l join mattock.plan_row w on w.plan_id = l.plan_id and w.part = l.part and w."row" = l."row"
         where l.plan_id = p.id and l."left" and w.key = $3) as left
     from mattock.run r join mattock.plan p on p.id = r.plan_id
     where r.environment = $1 and r.job = $2 and exists (select 1 from mattock.coverage c where c.environment = $1 and c.job = $2 and c.slice_from = $4 and c.slice_to = $5 and c.run_id = r.id)
     order by r.id desc limit 3`,
    [environment, name, row, from, to],
  )
  const { parts } = await rosterRows(engine, job, environment)
  const index = job.parts.findIndex((one, at) => partName(one, at) === part)
  const known = parts.get(index)
  const there = known === undefined || known.rows.has(row!)
  for (const { run, plan, only, picks, left, at } of rows) {
    const more = { run, plan, when: when('at', at) }
    if (left) reasons.push(reason('left-out', `run ${run} took the slice, and this row was left out of its plan`, more))
    else if (only !== null) reasons.push(reason('left-out', `run ${run} took the slice only where ${only}`, more))
    else if (picks) reasons.push(reason('left-out', `run ${run} took the slice for rows that were picked`, more))
    else reasons.push(reason('not-there', `run ${run} took the slice, and its job did not loop over this row then`, more))
  }
  if (!there) reasons.push(reason('not-there', 'the job does not loop over this row now', { job: name }))
  return reasons
} // prettier-ignore

/** What was decided about starts that should have taken it. */
async function decidedAbout(engine: Engine, { environment, job, from, to }: WhyAsk): Promise<Reason[]> {
  const { rows } = await engine.db.$client.query<{ start: string; at: string; state: string; why: string | null; plan: number | null; run: number | null; pause: string | null }>(
    `select o.start, o.at, o.state, o.why, p.id as plan, r.id as run, null as pause
     from mattock.occasion o left join mattock.plan p on p.id = o.plan_id left join mattock.run r on r.id = o.run_id
     where o.environment = $1 and o.job = $2 and (o."from" <= $3 and o."to" >= $4 or o."from" is null and o.at >= $4) order by o.at limit ${most}`,
    [environment, job, from, to],
  )
  const said: Record<string, string> = { due: 'came, and its run begins soon', started: 'began', skipped: 'was left out', failed: 'could not begin', paused: 'came while it was paused' }
  // one that began is not why it did not run
  return rows
    .filter(({ state }) => state !== 'started')
    .map(({ start, at, state, why, plan, run }) => reason('decided', `start ${start} ${said[state]}${why === null ? '' : `: ${why}`}`, { plan, run, when: when('at', at), job }))
} // prettier-ignore

/** Why no start has come: there is none, it comes later, or it is paused. */
async function noStart(engine: Engine, { environment, label, to }: WhyAsk, job: Job, now: number): Promise<Reason[]> {
  if (job.starts.length === 0) return [reason('nobody', `nothing begins ${job.title} by itself, and nobody has run it for ${label}`, { job: job.name })]
  const pauses = await pausesSince(engine.db.$client, environment, new Date(now).toISOString())
  const reasons: Reason[] = []
  for (const start of job.starts) {
    const pause = pauseAt(pauses, job.name, start.id, now)
    if (pause) {
      const of = pause.job === null ? `nothing begins by itself in ${environment}` : pause.start === null ? `${job.title} is paused` : `start ${start.id} is paused`
      reasons.push(reason('paused', `${of}, by ${pause.by}: ${pause.why}`, { when: when('until', pause.until), job: job.name }))
      continue
    }
    const [next] = isTimed(start) ? startTimes(start, job, Math.max(now, Date.parse(to) - 1), now + 40 * 86_400_000, 1) : []
    if (next) reasons.push(reason('not-yet', `start ${start.id} comes ${startText(start, job)}`, { when: when('at', new Date(next.at).toISOString()), job: job.name }))
    else if (!isTimed(start)) reasons.push(reason('not-yet', `start ${start.id} comes ${startText(start, job)}, which has not been since`, { job: job.name }))
  }
  return reasons.slice(0, most)
} // prettier-ignore
