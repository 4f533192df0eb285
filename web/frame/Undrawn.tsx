import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { useRouteError } from 'react-router'
import { FaultBox } from '../kit/Fault'

/** In place of a page that broke while it was drawn: what is known of it, and how to go on. The other pages work. */
export function Undrawn(): ReactElement {
  const error = useRouteError()
  return (
    <FaultBox
      error={
        new Error(`This page could not be drawn: ${error instanceof Error ? error.message : String(error)}.`)
      }
    >
      <p>
        Nothing that was saved is touched. Open it anew; where it breaks again, the other pages still work.
      </p>
      <Button onClick={() => window.location.reload()}>Open it anew</Button>
    </FaultBox>
  )
}
