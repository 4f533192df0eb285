import type { ReactElement } from 'react'
import type { Fault } from '../../../core/fault'
import { count } from '../../look/times'
import { mistakeWords } from './faultsAt'

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
    <span className="bad" role="status" title={faults.map(mistakeWords).join('\n')}>
      {mistakeWords(first!)}
      {rest.length > 0 && `, and ${count(rest.length, 'more mistake')}`}
      {torn ? '; forms and outline show the last text that could be read' : ''}
    </span>
  )
}
