import type { ArrivalAnswer, ArrivalAnswerKind } from '../../core/arrivals/answers'
import { fail } from '../../core/fault'
import { groupBy } from '../../core/group'
import type { Engine } from '../context/engine'
import { clockNow } from '../scheduling/outlook'

/** The file of a row and slice. */
export interface ArrivalPlace {
  readonly environment: string
  readonly job: string
  readonly part: string
  readonly row: string
  /** Beginning of its slice, ISO 8601. */
  readonly from: string
}

export interface AnswerAsk extends ArrivalPlace {
  readonly kind: ArrivalAnswerKind
  /** When it is asked for again. */
  readonly until?: string | undefined
  readonly why: string
  readonly by: string
}

/** Keeps what somebody says about a file that did not come, in the place of what was said before. @throws FaultError `request` */
export async function keepAnswer(engine: Engine, { environment, job, part, row, from, kind, until, why, by }: AnswerAsk): Promise<void> {
  if (kind === 'later' && !(until !== undefined && Date.parse(until) > (await clockNow(engine))))
    fail('request', 'say a time to come at which it is asked for again', { path: 'until' })
  await engine.db.$client.query(
    `insert into mattock.arrival_answer (environment, job, part, row_key, slice_from, kind, until, why, by, at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, mattock.clock())
     on conflict (environment, job, part, row_key, slice_from) do update set kind = excluded.kind, until = excluded.until, why = excluded.why, by = excluded.by, at = excluded.at`,
    [environment, job, part, row, from, kind, kind === 'later' ? until : null, why, by],
  )
} // prettier-ignore

/** Takes back what was said. @throws FaultError `unknown-name` where nothing was */
export async function dropAnswer(
  engine: Engine,
  { environment, job, part, row, from }: ArrivalPlace,
): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    'delete from mattock.arrival_answer where environment = $1 and job = $2 and part = $3 and row_key = $4 and slice_from = $5',
    [environment, job, part, row, from],
  )
  if (!rowCount) fail('unknown-name', `nothing was said about ${row}`, { job })
}

/** What was said about the files of a job, by part and row. */
export async function readAnswers(engine: Engine, environment: string, job: string): Promise<ReadonlyMap<string, readonly ArrivalAnswer[]>> {
  const { rows } = await engine.db.$client.query<ArrivalAnswer & { part: string; row: string }>(
    `select part, row_key as row, kind, slice_from as "from", until, why, by, at from mattock.arrival_answer where environment = $1 and job = $2`,
    [environment, job],
  )
  return groupBy(rows, ({ part, row }) => `${part}\n${row}`)
} // prettier-ignore
