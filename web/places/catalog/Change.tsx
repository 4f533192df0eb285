import type { ReactElement } from 'react'

/** What a text was and what it is: the old one struck out. */
export function Change({ before, after }: { before: string | null; after: string | null }): ReactElement {
  return (
    <span className="mono">
      {before === null ? <span className="soft">nothing</span> : <s className="soft">{before || 'empty'}</s>}
      {' → '}
      {after === null ? <span className="soft">nothing</span> : after || 'empty'}
    </span>
  )
}
