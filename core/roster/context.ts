import type { Bindings, Compiled } from '../expression/cel'
import { unknownNames, unknownNameText, type KnownNames } from '../expression/names'
import { fail } from '../fault'
import { assemble, compileSlot, emptyFault, workOut, type SlotKind } from '../text/slot'

export interface RosterContext {
  readonly compile: (source: string) => Compiled
  /** Bindings besides `row`. */
  readonly bindings: Bindings
  readonly known: KnownNames
  /** IANA zone in which times in names of files are read. */
  readonly zone: string
}

/** A text of a roster, resolved. */
export function resolveText(text: string, kind: SlotKind, path: string, context: RosterContext) {
  const slot = compileSlot({ step: '', path, kind, text }, context.compile)
  for (const piece of slot.pieces) if (typeof piece !== 'string') checkNames(piece, context)
  const worth = (i: number) => workOut(slot.pieces[i] as Compiled, context.bindings)
  const empty = emptyFault(slot, worth)
  if (empty !== undefined) fail('empty-value', empty)
  return assemble(slot, worth)
}

function checkNames(compiled: Compiled, context: RosterContext): void {
  const [unknown] = unknownNames(compiled, context.known)
  if (!unknown) return
  const sliced = unknown.name.startsWith('slice')
  fail(
    'unknown-name',
    sliced
      ? `${unknown.name} is not known here: a roster is the same for all slices`
      : unknownNameText(unknown),
  )
}
