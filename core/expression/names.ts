import type { Compiled } from './cel'
import { nearestName } from './nearest'

/** Names an expression may use: each root with its fields, or 'any' where they are not known beforehand. */
export type KnownNames = Readonly<Record<string, readonly string[] | 'any'>>

export interface UnknownName {
  readonly name: string
  readonly nearest: string | undefined
  /** Offset in the expression's text. */
  readonly offset: number
}

/** Every name that does not exist, with the nearest that does. */
export function unknownNames(compiled: Compiled, known: KnownNames): UnknownName[] {
  const faults: UnknownName[] = []
  for (const { root, field, offset, optional } of compiled.references) {
    const fields = known[root]
    if (fields === undefined) {
      // a bare field name is the likeliest slip: kind for row.kind
      const owner = Object.entries(known).find(([, list]) => list !== 'any' && list.includes(root))
      faults.push({
        name: root,
        nearest: owner ? `${owner[0]}.${root}` : nearestName(root, Object.keys(known)),
        offset,
      })
    } else if (field !== undefined && fields !== 'any' && !fields.includes(field) && !optional) {
      const near = nearestName(field, fields)
      faults.push({ name: `${root}.${field}`, nearest: near && `${root}.${near}`, offset })
    }
  }
  return faults
}

/** In words, such as `row.distrct does not exist; did you mean row.district?` */
export function unknownNameText({ name, nearest }: UnknownName): string {
  return `${name} does not exist${nearest ? `; did you mean ${nearest}?` : ''}`
}
