import { compileSlot } from '../../text/slot'
import { celCompiler } from '../../expression/cel'
import { FaultError } from '../../fault'
import { allSteps } from '../../job/document'
import { nestedRosters, rosterExpressions } from '../../job/rosters'
import { followsSlice } from '../../job/steps'
import { textTable } from '../texts'
import type { Rule } from './rule'

/**
 * `does-not-vary`: a loop in whose steps nothing depends on the row, or on the slice, does the same work over and
 * over; a parameter that nothing uses makes no difference.
 */
export const doesNotVary: Rule = (expansion, _facts, findings) => {
  const { job } = expansion.request
  const compile = celCompiler('UTC')
  const used = new Set<string>()
  for (const part of expansion.parts) {
    const roots = new Set<string>()
    for (const slot of textTable(part).slots) {
      for (const reference of referencesOf(() =>
        compileSlot(slot, compile).pieces.flatMap((piece) =>
          typeof piece === 'string' ? [] : piece.references,
        ),
      )) {
        roots.add(reference.root)
        if (reference.root === 'param' && reference.field) used.add(reference.field)
      }
    }
    const source = job.parts[part.index]!
    for (const { spec } of source.each ? nestedRosters(source.each.roster) : [])
      for (const expression of referencesOf(() => rosterExpressions(spec)))
        for (const { root, field } of referencesOf(() => compile(expression).references))
          if (root === 'param' && field) used.add(field)
    const slicedMode = allSteps(source).some(followsSlice)
    const rows = part.roster?.rows.length ?? 0
    const at = { part: part.index, path: `parts.${part.index}.each` }
    if (rows > 1 && !roots.has('row')) {
      findings.add(
        'does-not-vary',
        'stop',
        `nothing in the steps varies with the row, so the same work would be done ${rows} times`,
        at,
      )
    }
    const slices = part.slices?.length ?? 0
    if (slices > 1 && !roots.has('slice') && !slicedMode) {
      findings.add(
        'does-not-vary',
        'look',
        `nothing in the steps varies with the slice, so the same work would be done ${slices} times; with slices: false each row loads once`,
        at,
      )
    }
  }
  const only = expansion.request.only
  if (only)
    for (const { root, field } of referencesOf(() => compile(only).references))
      if (root === 'param' && field) used.add(field)
  for (const name of Object.keys(job.parameters)) {
    if (!used.has(name)) {
      findings.add(
        'does-not-vary',
        'look',
        `parameter ${name} is declared but nothing uses it, so every value would load the same rows`,
        { path: `parameters.${name}` },
      )
    }
  }
}

/** References of a text that can be read; one that cannot has its own finding. */
function referencesOf<T>(read: () => readonly T[]): readonly T[] {
  try {
    return read()
  } catch (error) {
    if (error instanceof FaultError) return []
    throw error
  }
}
