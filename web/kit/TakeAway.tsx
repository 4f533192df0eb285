import { Button } from '@mui/material'
import type { ReactElement } from 'react'

/** Takes one entry out of a list that is edited in place. */
export function TakeAway({ onClick }: { onClick: () => void }): ReactElement {
  return (
    <Button variant="text" size="small" onClick={onClick} sx={{ color: 'var(--soft)' }}>
      take away
    </Button>
  )
}
