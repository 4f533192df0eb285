import type { Span } from './cells'

/** A stretch of data time that is picked of a row. */
export interface Picked extends Span {
  readonly row: string
}

/** Picked slices put together where one ends as the next begins, row by row, oldest first. */
export function stretches(picked: readonly Picked[]): Picked[] {
  const joined: Picked[] = []
  const order = new Map<string, number>()
  for (const { row } of picked) if (!order.has(row)) order.set(row, order.size)
  for (const one of [...picked].sort((a, b) => order.get(a.row)! - order.get(b.row)! || a.from - b.from || a.to - b.to)) {
    const before = joined.at(-1)
    if (before?.row === one.row && one.from <= before.to) joined[joined.length - 1] = { ...before, to: Math.max(before.to, one.to) }
    else joined.push(one)
  }
  return joined
} // prettier-ignore
