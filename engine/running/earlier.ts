import { countNames, type Counts } from '../../core/balance/balance'
import { ancestorsOf } from '../../core/run/order'
import { hasEnded } from '../../core/run/when'
import type { RunState } from '../../core/runState'
import { partOrder } from '../../core/job/order'
import type { Seen } from '../../core/plan/expand/bindings'
import type { Row } from '../../core/value'
import type { SetValue } from '../../database/schema'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { stepBindings } from '../steps/runStep'
import type { RunFrame } from './frame'

/** What parts that have ended came to, as expressions see it: steps of those that run once, and each part that has an id. */
export interface EarlierParts {
  readonly step: Readonly<Record<string, Seen>>
  readonly part: Readonly<Record<string, Seen>>
}

const nothing: EarlierParts = { step: {}, part: {} }
const kept = memory<Read>(200)

/** What the parts before one came to. They have ended, so a worker asks once. */
export async function earlierParts(engine: Engine, frame: RunFrame, part: number): Promise<EarlierParts> {
  const before = [...ancestorsOf(partOrder(frame.job).waits)[part]!]
  const told = before.filter((at) => frame.job.parts[at]!.once || frame.job.parts[at]!.id !== undefined)
  if (told.length === 0) return nothing
  const key = `${frame.run.id} ${part}`
  const known = await kept.of(engine, key, () => readParts(engine, frame.run.id, told))
  // a load that was let go before its part sees what there is so far
  return known.ended ? known.parts : (await readParts(engine, frame.run.id, told)).parts
}

interface Read {
  readonly parts: EarlierParts
  /** They have all ended, so that it stays as it is. */
  readonly ended: boolean
}

/** Loads that are told of those that failed in a part. */
const toldFailures = 20

/** What failed in each part, a line a load: what is sent to somebody can say it. */
async function failuresOf(
  engine: Engine,
  run: number,
  parts: readonly number[],
): Promise<Map<number, string>> {
  const { rows } = await engine.db.$client.query<{ part: number; text: string; failed: number }>(
    `select part, string_agg(line, E'\\n' order by number) as text, max(failed)::int as failed from (
       select part, number, count(*) over (partition by part) as failed, row_number() over (partition by part order by number) as place,
         key || coalesce(': ' || (error ->> 'message'), '') as line
       from mattock.load where run_id = $1 and part = any ($2) and state = 'failed') l
     where place <= ${toldFailures} group by part`,
    [run, parts],
  )
  return new Map(
    rows.map(({ part, text, failed }) => [
      part,
      failed > toldFailures ? `${text}\nand ${(failed - toldFailures).toLocaleString('en')} more` : text,
    ]),
  )
}

/**
 * In which run each part's loads are: a rerun brings back only some of them, and of a part that it does not bring back at all,
 * what it came to in the run that is repeated holds.
 */
async function runsOfParts(
  engine: Engine,
  run: number,
  parts: readonly number[],
): Promise<Map<number, number[]>> {
  const { rows } = await engine.db.$client.query<{ part: number; run: number }>(
    `with recursive runs as (
       select id, rerun_of, 1 as back from mattock.run where id = $1
       union all select r.id, r.rerun_of, back + 1 from mattock.run r join runs on r.id = runs.rerun_of)
     select distinct on (p.part) p.part, runs.id as run from runs join mattock.run_part p on p.run_id = runs.id
     where p.part = any ($2)
     order by p.part, (p.waiting + p.running + p.held + p.done + p.failed + p.skipped + p.stopped = 0), back`,
    [run, parts],
  )
  const found = new Map<number, number[]>()
  for (const { part, run: of } of rows) found.set(of, [...(found.get(of) ?? []), part])
  return found
}

async function readParts(engine: Engine, run: number, parts: readonly number[]): Promise<Read> {
  const reads: Read[] = []
  for (const [of, some] of await runsOfParts(engine, run, parts))
    reads.push(await readPartsOf(engine, of, some))
  return {
    ended: reads.every(({ ended }) => ended),
    parts: {
      part: Object.assign({}, ...reads.map(({ parts: { part } }) => part)) as EarlierParts['part'],
      step: Object.assign({}, ...reads.map(({ parts: { step } }) => step)) as EarlierParts['step'],
    },
  }
}

async function readPartsOf(engine: Engine, run: number, parts: readonly number[]): Promise<Read> {
  const { rows: counted } = await engine.db.$client.query<
    { id: string | null; state: string } & Record<string, number | string | null>
  >(
    `select id, part as at, state, waiting + running + held + done + failed + skipped + stopped as loads, done, failed, skipped, stopped,
       read as rows_read, written as rows_written, unchanged as rows_unchanged, rejected as rows_rejected
     from mattock.run_part where run_id = $1 and part = any ($2)`,
    [run, parts],
  )
  const { rows: steps } = await engine.db.$client.query<{ step: string; state: string; value: SetValue | null } & Counts>(
    `select s.step, s.state, s.value, ${countNames.map((name) => `s.${name}`).join(', ')} from mattock.load l join mattock.load_step s on s.load_id = l.id
     where l.run_id = $1 and l.part = any ($2) and not l.each`,
    [run, parts],
  ) // prettier-ignore
  const named = counted.filter(({ id }) => id !== null)
  const failures = await failuresOf(engine, run, parts)
  const part = Object.fromEntries(
    named.map(({ id, at, state, ...counts }) => [
      id!,
      { state, counts: { ...counts, failures: failures.get(Number(at)) ?? '' } as Row },
    ]),
  )
  const ended = counted.every(({ state }) => hasEnded(state as RunState))
  return {
    ended,
    parts: { part, step: Object.fromEntries(steps.map(({ step, state, value, ...counts }) => [step, { state, counts: stepBindings({ counts }), value: value ?? undefined }])) },
  } // prettier-ignore
}
