import { celRow, plainValue, type Bindings } from '../../expression/cel'
import { unknownNames, unknownNameText, type KnownNames } from '../../expression/names'
import { FaultError } from '../../fault'
import { groupBy } from '../../group'
import type { RosterContext } from '../../roster/context'
import type { Roster } from '../../roster/roster'
import type { Slice } from '../../slice/slices'
import { escapeWildcards } from '../../store/pattern'
import type { CompiledSlot, Resolved } from '../../text/slot'
import type { ValueType } from '../../value'
import type { Gatherer } from '../gather'
import type { InsteadFile, PlannedLoad, PlanPick } from '../types'
import { sliceBinding } from './bindings'
import { findingCode } from './codes'
import { slotResolver } from './slots'

interface Resolving {
  readonly index: number
  readonly each: boolean
  /** What a part that runs once is called. */
  readonly title: string
  readonly slots: readonly (CompiledSlot | undefined)[]
  readonly roster: Roster | undefined
  readonly slices: readonly Slice[] | undefined
  readonly base: Bindings
  readonly only: string | undefined
  /** Stretches that loads must lie in; undefined where all are wanted. */
  readonly picks: readonly PlanPick[] | undefined
  /** Files that are taken in place of those that rows name. */
  readonly instead: readonly InsteadFile[]
  readonly context: RosterContext
  readonly names: KnownNames
  readonly loads: PlannedLoad[]
  readonly findings: Gatherer
}

/** Resolves every text of a part for each of its rows and slices. */
export function resolveLoads(part: Resolving): void {
  const { roster, slices, base, findings, index, loads } = part
  const types: Record<string, ValueType> = Object.fromEntries(
    (roster?.columns ?? []).map(({ name, type }) => [name, type]),
  )
  const rowBindings = (roster?.rows ?? []).map(({ row }) => celRow(row, types))
  const sliceBindings = (slices ?? []).map(sliceBinding)
  const bindings = (row: number, slice: number): Bindings =>
    ({
      ...base,
      ...(row >= 0 ? { row: rowBindings[row] } : {}),
      ...(slice >= 0 ? { slice: sliceBindings[slice] } : {}),
    }) as Bindings
  const insteadOf = insteadFor(part)
  const isPicked = part.each ? pickFilter(part) : () => true
  const keep = part.each ? loadFilter(part, bindings) : () => true
  const resolvers = part.slots.map((slot) => slot && slotResolver(slot, bindings))
  const rowCount = part.each ? roster!.rows.length : 1
  const sliceCount = part.each && slices ? slices.length : 1
  for (let s = 0; s < sliceCount; s++) {
    for (let r = 0; r < rowCount; r++) {
      const row = part.each ? r : -1
      const slice = part.each && slices ? s : -1
      if (!isPicked(row, slice) || !keep(row, slice)) continue
      const number = loads.length
      const rowKey = row >= 0 ? roster!.rows[row]!.key : part.title
      const key = slice >= 0 ? `${rowKey} · ${slices![slice]!.label}` : rowKey
      const resolved = resolvers.map((resolve, i) => {
        if (!resolve) return null
        const outcome = resolve(row, slice)
        if (outcome.fault) {
          findings.addForLoad(
            findingCode(outcome.fault.code),
            'stop',
            outcome.fault.message,
            { part: index, step: part.slots[i]!.step, path: part.slots[i]!.path },
            { number, key },
          )
        }
        return outcome.value
      })
      const instead = insteadOf(row, slice)
      loads.push(
        instead
          ? {
              part: index,
              key,
              row,
              slice,
              instead,
              resolved: resolved.map((text, i) => taken(text, instead, part, i, { number, key })),
            }
          : { part: index, key, row, slice, resolved },
      )
    }
  }
}

/** The file that is taken in place of the one that a row and slice name, where somebody said so. */
function insteadFor({ instead, roster, slices }: Resolving): (row: number, slice: number) => InsteadFile | undefined {
  if (instead.length === 0 || !roster || !slices) return () => undefined
  const known = new Map(instead.map((one) => [`${Date.parse(one.from)} ${one.row}`, one]))
  return (row, slice) => (row < 0 || slice < 0 ? undefined : known.get(`${Date.parse(slices[slice]!.from)} ${roster.rows[row]!.key}`))
} // prettier-ignore

/** What a text came to, with the name of a file put in the place of another; that is told. */
function taken(text: Resolved | null, { replaces, file, by, why }: InsteadFile, { slots, index, findings }: Resolving, at: number, load: { number: number; key: string }): Resolved | null {
  if (text?.kind !== 'path' || text.pattern !== replaces) return text
  findings.addForLoad('other-file', 'note', `${file} is taken in place of ${text.text}, as ${by} said: ${why}`, { part: index, step: slots[at]!.step, path: slots[at]!.path }, load)
  return { kind: 'path', text: file, pattern: escapeWildcards(file) }
} // prettier-ignore

/** Does a load lie within one of the stretches that were picked of its row? */
function pickFilter({ picks, roster, slices }: Resolving): (row: number, slice: number) => boolean {
  if (!picks || !slices) return () => true
  const spans = groupBy(picks, ({ row }) => row)
  const times = slices.map(({ from, to }) => ({ from: Date.parse(from), to: Date.parse(to) }))
  const ofRow = new Map([...spans].map(([row, own]) => [row, own.map(({ from, to }) => ({ from: Date.parse(from), to: Date.parse(to) }))]))
  return (row, slice) => {
    const { from, to } = times[slice]!
    return ofRow.get(roster!.rows[row]!.key)?.some((span) => span.from <= from && span.to >= to) ?? false
  }
} // prettier-ignore

function loadFilter(part: Resolving, bindings: (row: number, slice: number) => Bindings) {
  if (part.only === undefined || part.only.trim() === '') return () => true
  const where = { part: part.index, path: 'only' }
  try {
    const compiled = part.context.compile(part.only)
    const [unknown] = unknownNames(compiled, part.names)
    if (unknown) {
      part.findings.add(
        'unknown-name',
        'stop',
        `${unknownNameText(unknown)} (in the filter "${part.only}")`,
        where,
      )
      return () => true
    }
    return (row: number, slice: number): boolean => {
      try {
        const verdict = plainValue(compiled.evaluate(bindings(row, slice)))
        if (typeof verdict === 'boolean') return verdict
        part.findings.add(
          'expression',
          'stop',
          `the filter "${part.only}" gives ${String(verdict)}, not true or false`,
          where,
        )
      } catch (error) {
        if (!(error instanceof FaultError)) throw error
        part.findings.add('expression', 'stop', error.fault.message, where)
      }
      return true
    }
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    part.findings.add('expression', 'stop', `${error.fault.message} (in the filter)`, where)
    return () => true
  }
}
