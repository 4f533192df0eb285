import { stepFault } from '../context/step'
import type { FormattedFile } from './definition'

/** Share of all names of two files that both must have, to be files of the same kind. */
const leastShared = 0.5

export interface UnionColumns {
  /** Every column of any of the files, in the order in which they first stand. */
  readonly names: readonly string[]
  /** Which files lack which columns, in words. */
  readonly said: readonly string[]
}

/**
 * The columns of the files of one load, which go by their names, wherever they stand; names that differ in case only are
 * the same. What a file lacks is nothing in its rows. Files that have less than half in common are of different kinds.
 * @throws StepFault `columns-differ`
 */
export function unionColumns(files: readonly FormattedFile[]): UnionColumns {
  const first = files[0]!
  const names = new Map(first.names.map((name) => [name.toLowerCase(), name]))
  const said: string[] = []
  const odd = files.filter((file) => file.names.join('\n') !== first.names.join('\n'))
  for (const file of odd) {
    const both = file.names.filter((name) => first.names.some((other) => isSame(name, other))).length
    const all = first.names.length + file.names.length - both
    // without a header columns go by their places
    const unnamed = file.format.header === false && file.names.length !== first.names.length
    if (unnamed || both < all * leastShared)
      stepFault(
        'columns-differ',
        `${file.path} has other columns than ${first.path}: ${file.names.slice(0, 8).join(', ')}`,
        'load files of different columns by rows of their own',
      )
    for (const name of file.names) if (!names.has(name.toLowerCase())) names.set(name.toLowerCase(), name)
  }
  for (const file of odd.length > 0 ? files : []) {
    const own = new Set(file.names.map((name) => name.toLowerCase()))
    const lacks = [...names].filter(([key]) => !own.has(key)).map(([, name]) => name)
    if (lacks.length > 0) said.push(`${file.path} has no ${lacks.join(', ')}`)
  }
  return { names: [...names.values()], said }
}

const isSame = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase()
