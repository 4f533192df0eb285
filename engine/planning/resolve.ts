import { FaultError } from '../../core/fault'
import { parseJob } from '../../core/job/parse'
import { expand } from '../../core/plan/expand/expand'
import { textsOf } from '../../core/plan/texts'
import { fileWantsOf } from '../../core/plan/fileWants'
import type { Row } from '../../core/value'
import type { Engine } from '../context/engine'
import { judgeExpansion, planRequest } from './plan'
import { gatherLately } from './gather'
import { DocumentError } from '../jobs/versions'

export interface ResolveAsk {
  readonly text: string
  readonly environment: string
  readonly part: number
  readonly row?: string | undefined
  readonly search: string
  readonly slice?: string | undefined
  readonly parameters: Row
}

/**
 * Resolves a document, saved or not, for one row of one part and one slice, with the findings about that load.
 * @throws DocumentError where it cannot be read
 */
export async function resolveOne(engine: Engine, ask: ResolveAsk) {
  const { job, faults } = parseJob(ask.text)
  if (!job) throw new DocumentError(faults)
  const asked = await planRequest(engine, job, {
    environment: ask.environment,
    parameters: ask.parameters,
    span: ask.slice || undefined,
  })
  const request = { ...asked, slices: asked.slices?.slice(0, 1) }
  const expansion = expand(request, await gatherLately(engine, request))
  const roster = expansion.parts[ask.part]?.roster
  if (!expansion.parts[ask.part])
    throw new FaultError({ code: 'unknown-name', message: `the job has no part ${ask.part + 1}`, where: {} })
  const wanted = ask.search.toLowerCase()
  const all = roster?.rows ?? []
  const rows = all.filter(({ key }) => key.toLowerCase().includes(wanted)).map(({ key }) => key)
  const chosen = all.find(({ key }) => key === ask.row) ?? all.find(({ key }) => key === rows[0]) ?? all[0]
  const index = chosen ? all.indexOf(chosen) : -1
  // facts are gathered for this one load only
  const kept = expansion.loads.flatMap((load, number) =>
    load.part === ask.part && (index < 0 || load.row === index) ? [number] : [],
  )
  const renumbered = new Map(kept.map((number, i) => [number, i]))
  const narrow = {
    ...expansion,
    loads: kept.map((number) => expansion.loads[number]!),
    findings: expansion.findings.flatMap((finding) => {
      if (finding.loads.length === 0)
        return finding.where.part === undefined || finding.where.part === ask.part ? [finding] : []
      const loads = finding.loads.flatMap((number) => renumbered.get(number) ?? [])
      return loads.length > 0 ? [{ ...finding, loads }] : []
    }),
  }
  const { plan, facts } = await judgeExpansion(engine, narrow)
  const files = (step: string, pattern: string) => {
    const want = fileWantsOf(plan).find((entry) => entry.step === step && entry.files.pattern === pattern)
    const found = want && facts.files.get(want.key)
    return found?.map(({ path, size, modified }) => ({ path, size, modified })) ?? null
  }
  return { chosen, rows, plan, facts: files }
}

/** The same as it is shown: plain values only, so that it can be worked out in another process. */
export async function resolveLoad(engine: Engine, ask: ResolveAsk) {
  const { chosen, rows, plan, facts } = await resolveOne(engine, ask)
  const planned = plan.parts[ask.part]!
  const load = plan.loads.find((entry) => entry.part === ask.part)
  return {
    rows: rows.slice(0, 50),
    rowCount: rows.length,
    row: chosen?.key ?? null,
    rowValues: chosen ? { ...chosen.row } : null,
    slice: planned.slices?.[0] ?? null,
    slots: textsOf(planned, load ?? { resolved: [] }).map(({ slot, resolved }) => ({
      ...slot,
      // where the roster has no row, what needs none is known all the same
      resolved:
        load === undefined && !/[{}]/.test(slot.text)
          ? slot.text
          : resolved && resolved.kind !== 'later'
            ? resolved.text
            : null,
      rowless: load === undefined,
      values: resolved?.kind === 'sql' ? [...resolved.values] : null,
      later: resolved?.kind === 'later',
      found: resolved?.kind === 'path' ? facts(slot.step, resolved.pattern) : null,
    })),
    findings: plan.findings.map(({ code, level, message, where }) => ({
      code,
      level,
      message,
      path: where.path ?? null,
    })),
  }
}
