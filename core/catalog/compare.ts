import { likeness } from './likeness'
import type { FoundColumn } from './found'

export interface SchemaChange {
  readonly added: readonly FoundColumn[]
  readonly gone: readonly FoundColumn[]
  readonly changed: readonly { readonly name: string; readonly from: string; readonly to: string }[]
  /** Gone and added columns so like each other that one may have become the other; likeness 0 to 1. */
  readonly renamed: readonly { readonly from: string; readonly to: string; readonly likeness: number }[]
}

/** A column's type in its source's words, else in ours. */
export const typeText = ({ type, sourceType }: Pick<FoundColumn, 'type' | 'sourceType'>): string =>
  sourceType ?? type

/** What is different between a known schema and a found one. The order of the columns does not count. */
export function compareSchemas(known: readonly FoundColumn[], found: readonly FoundColumn[]): SchemaChange {
  const before = new Map(known.map((column) => [column.name, column]))
  const after = new Map(found.map((column) => [column.name, column]))
  const added = found.filter(({ name }) => !before.has(name))
  const gone = known.filter(({ name }) => !after.has(name))
  const changed = known.flatMap((column) => {
    const now = after.get(column.name)
    return now && typeText(now) !== typeText(column)
      ? [{ name: column.name, from: typeText(column), to: typeText(now) }]
      : []
  })
  const renamed = gone.flatMap((column) => {
    const [best] = added
      .filter((other) => other.type === column.type)
      .map((other) => ({ from: column.name, to: other.name, likeness: likeness(column.name, other.name) }))
      .filter((pair) => pair.likeness >= 0.85)
      .sort((a, b) => b.likeness - a.likeness)
    return best ? [best] : []
  })
  return { added, gone, changed, renamed }
}

export const isSame = ({ added, gone, changed }: SchemaChange): boolean =>
  added.length === 0 && gone.length === 0 && changed.length === 0

/** A change in a few words: `2 columns new: a, b; c is gone; d was text, is integer`. */
export function changeText({
  added,
  gone,
  changed,
}: {
  readonly added: readonly { readonly name: string }[]
  readonly gone: readonly { readonly name: string }[]
  readonly changed: SchemaChange['changed']
}): string {
  const names = (columns: readonly { name: string }[]) => columns.map(({ name }) => name).join(', ')
  return [
    added.length > 0 && `new: ${names(added)}`,
    gone.length > 0 && `gone: ${names(gone)}`,
    ...changed.map(({ name, from, to }) => `${name} was ${from}, is ${to}`),
  ]
    .filter((text) => text !== false)
    .join('; ')
}
