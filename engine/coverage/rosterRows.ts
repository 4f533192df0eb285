import { FaultError } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { expand } from '../../core/plan/expand/expand'
import { valueText } from '../../core/value'
import type { Engine } from '../context/engine'
import { gatherLately } from '../planning/gather'
import { planRequest } from '../planning/plan'

/** The rows that a part loops over now. */
export interface PartRows {
  /** Key of each row, with the values of the columns that rows can be grouped by. */
  readonly rows: ReadonlyMap<string, readonly string[]>
  /** Columns that several rows have the same value in. */
  readonly columns: readonly string[]
}

/** Milliseconds that a roster outside is waited for: a page of what was loaded is not kept by it. */
const patience = 4000
/** Values that a column is grouped by at most. */
const groups = 60

/**
 * The rows that each part of a job loops over now, by the part's number; what stands in the way of reading them is said in
 * words, since what was loaded can be shown without them.
 */
export async function rosterRows(
  engine: Engine,
  job: Job,
  environment: string,
): Promise<{ parts: ReadonlyMap<number, PartRows>; trouble: string | null }> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => reject(new FaultError({ code: 'roster', message: `its rows could not be read within ${patience / 1000} s`, where: {} })), patience)
  })
  try {
    return { parts: await Promise.race([readRows(engine, job, environment), late]), trouble: null }
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    return { parts: new Map(), trouble: error.fault.message }
  } finally {
    clearTimeout(timer)
  }
} // prettier-ignore

async function readRows(engine: Engine, job: Job, environment: string): Promise<Map<number, PartRows>> {
  // the rows alone are wanted: nothing is done with them, and for no slice
  const alone: Job = { ...job, slices: undefined, parts: job.parts.map((part) => ({ ...part, do: [] })) }
  const request = await planRequest(engine, alone, { environment, parameters: {} })
  const zoned = { ...request, job: { ...alone, slices: job.slices }, slices: [] }
  const expansion = expand(zoned, await gatherLately(engine, zoned))
  const stop = expansion.findings.find(({ level, where }) => level === 'stop' && where.path?.includes('.each'))
  if (stop) throw new FaultError({ code: 'roster', message: stop.message, where: stop.where })
  const parts = new Map<number, PartRows>()
  for (const { index, roster } of expansion.parts) {
    if (!roster || job.parts[index]?.each?.slices === false) continue
    const columns = roster.columns.map(({ name }) => name).filter((name) => {
      const values = new Set(roster.rows.map(({ row }) => valueText(row[name] ?? null)))
      return values.size > 1 && values.size <= groups && values.size < roster.rows.length
    })
    parts.set(index, {
      columns,
      rows: new Map(roster.rows.map(({ key, row }) => [key, columns.map((name) => valueText(row[name] ?? null))])),
    })
  }
  return parts
} // prettier-ignore
