import type { ReactElement } from 'react'
import type { Fault } from '../../../core/fault'
import { count } from '../../look/times'

/** What is wrong with a text that is being changed: the first things in words, each with its line. */
export function Mistakes({
  faults,
  torn,
}: {
  readonly faults: readonly Fault[]
  /** No form can go on with it. */
  readonly torn: boolean
}): ReactElement | null {
  if (faults.length === 0) return null
  const [first, ...rest] = faults
  return (
    <span className="bad" role="status" title={faults.map(inWords).join('\n')}>
      {inWords(first!)}
      {rest.length > 0 && `, and ${count(rest.length, 'more mistake')}`}
      {torn ? '; forms and outline show the last text that could be read' : ''}
    </span>
  )
}

const inWords = ({ message, where: { line, path } }: Fault): string =>
  `${line === undefined ? '' : `line ${line}, `}${path ? `${keyOf(path)}: ` : ''}${message}`

/** The name of what is wrong: the last of its path that is no place in a list. */
const keyOf = (path: string): string => path.split('.').findLast((part) => !/^\d+$/.test(part)) ?? path
