import type { FieldMeta } from '../field/field'
import { stepKinds, stepOf, textsOfKind, type Step } from './steps'
import type { Slot } from '../text/slot'

/** The texts of a step, in the order of its definition. */
export function slotsOf(step: Step): Slot[] {
  const { kind, spec } = stepOf(step)
  const slots: Slot[] = []
  for (const { path, as } of textsOfKind(kind))
    for (const { at, text } of textsAt(spec, path.split('.')))
      slots.push({ step: step.id, path: [kind, ...at].join('.'), kind: as, text })
  return slots
}

/** The texts at a path; a `*` in it stands for each place of a list, or key of a map. */
function textsAt(value: unknown, path: readonly string[]): { at: (string | number)[]; text: string }[] {
  const [key, ...rest] = path
  if (key === undefined) return typeof value === 'string' ? [{ at: [], text: value }] : []
  const below = (own: string | number, one: unknown) =>
    textsAt(one, rest).map(({ at, text }) => ({ at: [own, ...at], text }))
  if (key !== '*') return below(key, (value as Readonly<Record<string, unknown>> | undefined)?.[key])
  if (Array.isArray(value)) return value.flatMap((one: unknown, i) => below(i, one))
  return typeof value === 'object' && value !== null
    ? Object.entries(value).flatMap(([own, one]) => below(own, one))
    : []
}

interface SlotMeta {
  readonly column: string
  readonly names: FieldMeta['names']
  readonly runsOn: FieldMeta['runsOn']
}

const metas = new Map<string, SlotMeta>()

/** What is known of the text at a path of a step, such as `transfer.from.files`. */
function metaOf(path: string): SlotMeta | undefined {
  if (metas.size === 0)
    for (const kind of stepKinds)
      for (const { path: below, column, names, runsOn } of textsOfKind(kind))
        metas.set(`${kind}.${below}`, { column, names, runsOn })
  return (
    metas.get(path) ??
    metas.get(path.replace(/\.\d+(?=\.)/g, '.*')) ??
    metas.get(path.replace(/\.[^.]+$/, '.*'))
  )
}

/** What a text is called in a table; a path that no kind has any more is called by itself. */
export const slotLabel = (path: string): string => metaOf(path)?.column ?? path

/** What the text at a path names: a connection of a kind, a table, or nothing that is known. */
export const namedAt = (path: string): FieldMeta['names'] => metaOf(path)?.names

/** Path of the text that names the connection on which the SQL at a path of a step runs; empty where it is not known. */
export function runsOnPath(path: string): string {
  const on = metaOf(path)?.runsOn
  if (on === undefined) return ''
  return on.startsWith('/')
    ? `${path.slice(0, path.indexOf('.'))}.${on.slice(1)}`
    : `${path.slice(0, path.lastIndexOf('.'))}.${on}`
}
