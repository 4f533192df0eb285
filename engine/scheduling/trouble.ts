import { isLate } from '../../core/schedule/due'
import { lengthWords } from '../../core/schedule/words'
import type { Engine } from '../context/engine'
import type { ForeseenRun, Outlook } from './outlook'

/** A start that could not begin its run, and was not followed by one that could. */
export interface NotBegun {
  readonly job: string
  readonly title: string
  readonly start: string
  readonly at: string
  readonly why: string
  readonly plan: number | null
  readonly count: number
}

/** Starts of the last three days that could not begin, one for each start; those that began since are no trouble. */
export async function startsNotBegun(engine: Engine, environment: string): Promise<NotBegun[]> {
  const { rows } = await engine.db.$client.query<NotBegun>(
    `select distinct on (o.job, o.start) o.job, coalesce(j.title, o.job) as title, o.start, o.at, coalesce(o.why, '') as why, p.id as plan,
       count(*) over (partition by o.job, o.start)::int as count
     from mattock.occasion o left join mattock.job j on j.name = o.job left join mattock.plan p on p.id = o.plan_id
     where o.environment = $1 and o.state = 'failed' and o.at > mattock.clock() - interval '3 days'
       and not exists (select 1 from mattock.occasion n where n.environment = $1 and n.job = o.job and n.start = o.start and n.state = 'started' and n.at > o.at)
     order by o.job, o.start, o.at desc`,
    [environment],
  )
  return rows
}

/** Of each job the first run that will likely be late, with what it would be in an outlook with other caps. */
export function lateRuns(outlook: Outlook, other?: Outlook): { run: ForeseenRun; by: string; kept: string | undefined }[] {
  const first = new Map<string, ForeseenRun>()
  for (const run of outlook.foreseen) if (isLate(run) && !first.has(run.job)) first.set(run.job, run)
  return [...first.values()].map((run) => {
    const beside = other?.foreseen.find((one) => one.job === run.job && one.start === run.start && one.run === run.run && one.due === run.due)
    const kept = beside && !isLate(beside) ? `with ${other!.workers} places at workers instead of ${outlook.workers} it would be done in time` : undefined
    return { run, by: lengthWords(Date.parse(run.ends) - Date.parse(run.due!)), kept }
  })
} // prettier-ignore
