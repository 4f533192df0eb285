import type { Fault } from '../../../core/fault'
import type { FieldPath } from '../../kit/fields/frame'

/** What the check of a document says of what stands at a path below a root, or within it. */
export function faultsAt(faults: readonly Fault[], root: FieldPath): (path: FieldPath) => string | undefined {
  return (path) => {
    const own = [...root, ...path].join('.')
    return faults.find(({ where }) => {
      const at = String(where.path ?? '')
      return at === own || at.startsWith(`${own}.`)
    })?.message
  }
}

/** What is wrong, with its line and its name. */
export const mistakeWords = ({ message, where: { line, path } }: Fault): string =>
  `${line === undefined ? '' : `line ${line}, `}${path ? `${keyOf(path)}: ` : ''}${message}`

/** The name of what is wrong: the last of its path that is no place in a list. */
const keyOf = (path: string): string => path.split('.').findLast((part) => !/^\d+$/.test(part)) ?? path
