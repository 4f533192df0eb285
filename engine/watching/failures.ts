import { liesOutside } from '../../core/run/cause'
import { some } from '../../core/text/someOf'
import type { Engine } from '../context/engine'
import type { Decision } from './decision'

/** Runs that a matter names. */
const mostRuns = 50

/** Failed loads of one job and one cause. */
export interface OpenFailure {
  readonly job: string
  readonly title: string
  readonly cause: string
  readonly message: string
  /** Of the newest of them. */
  readonly code: string | null
  readonly advice: string
  readonly count: number
  readonly run: number
  /** The newest of its runs, the newest first. */
  readonly runs?: readonly number[]
  readonly latest: string
  /** Of the first of them. */
  readonly keys: readonly string[]
  /** The newest of them. */
  readonly load?: number
  /** Each of them because a check does not hold. */
  readonly check: boolean
}

/** Failed loads of some days that no later run has done, grouped by job and cause. */
export async function openFailures(engine: Engine, environment: string, since: string): Promise<Decision[]> {
  const { rows } = await engine.db.$client.query<OpenFailure>(
    `select r.job, max(r.title) as title, l.cause, (array_agg(l.error ->> 'message' order by l.id desc))[1] as message, (array_agg(l.error ->> 'code' order by l.id desc))[1] as code,
       (array_agg(l.error ->> 'advice' order by l.id desc))[1] as advice, count(*) as count, max(r.id) as run, (array_agg(distinct r.id order by r.id desc))[1:${mostRuns}] as runs, max(l.ended_at) as latest,
       (array_agg(l.key order by l.number))[1:3] as keys, max(l.id) as load, bool_and(coalesce(l.error ->> 'code' = 'check', false)) as check
     from mattock.load l join mattock.run r on r.id = l.run_id
     where r.environment = $1 and r.created_at >= $2 and l.state = 'failed'
       and not exists (select 1 from mattock.load d join mattock.run dr on dr.id = d.run_id
         where dr.environment = r.environment and dr.job = r.job and d.key = l.key and d.id > l.id and d.state in ('done', 'failed', 'held', 'running', 'waiting'))
     group by r.job, l.cause order by max(l.ended_at) desc`,
    [environment, since],
  )
  return rows.map(failureDecision)
}

/** What is said of failed loads. */
export const failureDecision = ({
  title,
  job,
  cause,
  count,
  message,
  code,
  advice,
  run,
  runs = [run],
  latest,
  keys,
  load,
  check,
}: OpenFailure): Decision => ({
  kind: check ? 'check' : 'failed',
  key: `failed ${job} ${cause}`,
  // one server that is away is one cause for all; two jobs that both divide by zero are two
  cause: check ? `check ${job} ${cause}` : liesOutside(code) ? `failed ${cause}` : `failed ${job} ${cause}`,
  title: `${title}: ${count === 1 ? keys[0] : `${count.toLocaleString('en')} loads`} failed${count === 1 ? '' : ' the same way'}${runs.length > 1 ? `, in ${runs.length} runs` : ''}`,
  text: `${count === 1 ? '' : `${some(keys, keys.length, count)}, such as: `}${message}; ${advice}`,
  count,
  run,
  runs,
  ...(count === 1 && load !== undefined ? { load } : {}),
  job,
  connection: null,
  latest,
})
