import { fail } from '../../core/fault'
import { parseJob } from '../../core/job/parse'
import { expand } from '../../core/plan/expand/expand'
import { valueText, type Row } from '../../core/value'
import type { Engine } from '../context/engine'
import { DocumentError } from '../jobs/versions'
import { planRequest } from './plan'
import { gatherLately } from './gather'

export interface RosterAsk {
  readonly text: string
  readonly environment: string
  readonly part: number
  readonly parameters: Row
  readonly search: string
  readonly offset: number
  readonly limit: number
}

/**
 * A page of the rows that a part of a document, saved or not, would loop over, with what is found about the roster.
 * @throws DocumentError where the document cannot be read
 */
export async function previewRoster(engine: Engine, ask: RosterAsk) {
  const { job, faults } = parseJob(ask.text)
  if (!job) throw new DocumentError(faults)
  const part = job.parts[ask.part]
  if (!part?.each) fail('unknown-name', `part ${ask.part + 1} of the job has no roster`)
  // the rows alone are wanted, so nothing is done with them and for no slice
  const alone = { ...job, slices: undefined, parts: [{ ...part, do: [] }] }
  const request = await planRequest(engine, alone, {
    environment: ask.environment,
    parameters: ask.parameters,
  })
  const zoned = { ...request, job: { ...alone, slices: job.slices }, slices: [] }
  const expansion = expand(zoned, await gatherLately(engine, zoned))
  const roster = expansion.parts[0]!.roster!
  const wanted = ask.search.toLowerCase()
  const found =
    wanted === ''
      ? roster.rows
      : roster.rows.filter(
          ({ key, row }) =>
            key.toLowerCase().includes(wanted) ||
            Object.values(row).some((value) => valueText(value).toLowerCase().includes(wanted)),
        )
  return {
    columns: roster.columns,
    key: roster.key,
    before: roster.total,
    total: roster.rows.length,
    found: found.length,
    rows: found.slice(ask.offset, ask.offset + ask.limit),
    findings: expansion.findings
      .filter(({ where }) => where.path?.startsWith('parts.0.each') || where.path === undefined)
      .map(({ code, level, message }) => ({ code, level, message })),
  }
}
