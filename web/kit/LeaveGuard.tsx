import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useEffect, type ReactElement } from 'react'
import { useBlocker } from 'react-router'

/** Asks before a page is left with work that is not saved; closing the window asks in the browser's own way. */
export function LeaveGuard({
  when,
  what = 'What you changed here is not saved.',
}: {
  readonly when: boolean
  readonly what?: string
}): ReactElement | null {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) => when && currentLocation.pathname !== nextLocation.pathname,
  )
  useEffect(() => {
    if (!when) return
    const ask = (event: BeforeUnloadEvent) => event.preventDefault()
    window.addEventListener('beforeunload', ask)
    return () => window.removeEventListener('beforeunload', ask)
  }, [when])
  if (blocker.state !== 'blocked') return null
  return (
    <Dialog open onClose={() => blocker.reset()} aria-labelledby="leave-title">
      <DialogTitle id="leave-title">Leave without saving?</DialogTitle>
      <DialogContent>{what}</DialogContent>
      <DialogActions>
        <Button onClick={() => blocker.proceed()}>Leave it unsaved</Button>
        <Button variant="contained" color="primary" autoFocus onClick={() => blocker.reset()}>
          Stay here
        </Button>
      </DialogActions>
    </Dialog>
  )
}
