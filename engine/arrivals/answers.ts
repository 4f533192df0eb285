import type { ArrivalAnswer, ArrivalAnswerKind } from '../../core/arrivals/answers'
import { fail } from '../../core/fault'
import { groupBy } from '../../core/group'
import { partName } from '../../core/job/document'
import { expand } from '../../core/plan/expand/expand'
import { fileWantsOf } from '../../core/plan/fileWants'
import { slicesMeeting } from '../../core/slice/slices'
import { escapeWildcards } from '../../core/store/pattern'
import type { Engine } from '../context/engine'
import { openAs } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import { documentOf, versionIn } from '../jobs/versions'
import { gatherLately } from '../planning/gather'
import { planRequest } from '../planning/plan'
import { clockNow } from '../context/clock'
import { namesFiles } from './namesFiles'

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
  /** The file that is taken instead, as a path of its store. */
  readonly file?: string | undefined
  /** The name in whose place it is taken; the first of the row that lacks its file where it is left out. */
  readonly replaces?: string | undefined
  readonly why: string
  readonly by: string
}

/** Keeps what somebody says about the file of a row and slice, in the place of what was said before. @throws FaultError `request`, `path`, `unknown-name` */
export async function keepAnswer(engine: Engine, ask: AnswerAsk): Promise<void> {
  const { environment, job, part, row, from, kind, until, why, by } = ask
  if (kind === 'later' && !(until !== undefined && Date.parse(until) > (await clockNow(engine))))
    fail('request', 'say a time to come at which it is asked for again', { path: 'until' })
  const taken = kind === 'instead' ? await takenFile(engine, ask) : undefined
  await engine.db.$client.query(
    `insert into mattock.arrival_answer (environment, job, part, row_key, slice_from, kind, until, file, replaces, why, by, at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, mattock.clock())
     on conflict (environment, job, part, row_key, slice_from) do update set kind = excluded.kind, until = excluded.until, file = excluded.file, replaces = excluded.replaces, why = excluded.why, by = excluded.by, at = excluded.at`,
    [environment, job, part, row, from, kind, kind === 'later' ? until : null, taken?.file ?? null, taken?.replaces ?? null, why, by],
  )
} // prettier-ignore

/** The file that is taken, which must be there, and the name that it stands for. */
async function takenFile(engine: Engine, { environment, job: name, part, row, from, file, replaces }: AnswerAsk): Promise<{ file: string; replaces: string }> {
  if (file === undefined || file.trim() === '') fail('request', 'say which file is taken', { path: 'file' })
  const job = documentOf(await versionIn(engine, name, environment))
  const slices = job.slices ? slicesMeeting(job.slices, from, new Date(Date.parse(from) + 1).toISOString()) : []
  if (!slices.some((slice) => Date.parse(slice.from) === Date.parse(from))) fail('request', `no slice of ${name} begins at ${from}`, { path: 'from' })
  // what was said before does not count: it is put in the place of the row's own name again
  const request = { ...(await planRequest(engine, job, { environment, parameters: {} })), slices, instead: [], texts: namesFiles }
  const expansion = expand(request, await gatherLately(engine, request))
  const wants = fileWantsOf(expansion).filter(({ part: at, load }) => partName(job.parts[at]!, at) === part && expansion.parts[at]!.roster?.rows[load.row]?.key === row)
  if (wants.length === 0) fail('unknown-name', `no row "${row}" of ${part} expects a file for this slice`, { job: name })
  const names = [...new Set(wants.map(({ files }) => files.pattern))]
  if (replaces !== undefined && !names.includes(replaces)) fail('request', `${row} expects ${names.join(', ')}, not ${replaces}`, { path: 'replaces' })
  const lacking = async ({ store, files }: (typeof wants)[number]) => (await new Lister((await openAs(engine, 'files', store, environment)).store).find(files.pattern)).length === 0
  let of = wants.find(({ files }) => files.pattern === replaces)
  for (const want of wants) of ??= (await lacking(want)) ? want : undefined
  of ??= wants[0]!
  const [found] = await new Lister((await openAs(engine, 'files', of.store, environment)).store).find(escapeWildcards(file))
  if (!found) fail('request', `there is no file ${file} in ${of.store}`, { path: 'file' })
  if (found.outside !== undefined) fail('path', found.outside, { path: 'file' })
  return { file: found.path, replaces: of.files.pattern }
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
    `select part, row_key as row, kind, slice_from as "from", until, file, replaces, why, by, at from mattock.arrival_answer where environment = $1 and job = $2`,
    [environment, job],
  )
  return groupBy(rows, ({ part, row }) => `${part}\n${row}`)
} // prettier-ignore
