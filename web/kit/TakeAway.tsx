import type { ReactElement } from 'react'

/** Takes one entry out of a list that is edited in place. */
export function TakeAway({ onClick }: { onClick: () => void }): ReactElement {
  return (
    <button type="button" className="link-button" onClick={onClick}>
      take away
    </button>
  )
}
