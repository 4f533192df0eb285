import { useEffect, type ReactElement } from 'react'
import { useBlocker } from 'react-router'
import { Confirm } from './Confirm'

/** Asks before a page is left with work that is not saved; closing the window asks in the browser's own way. */
export function LeaveGuard({
  when,
  what = 'What you changed here is not saved.',
  but = () => false,
}: {
  readonly when: boolean
  readonly what?: string
  /** Pages from which one comes back to the work as it was. */
  readonly but?: (path: string) => boolean
}): ReactElement | null {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      when && currentLocation.pathname !== nextLocation.pathname && !but(nextLocation.pathname),
  )
  useEffect(() => {
    if (!when) return
    const ask = (event: BeforeUnloadEvent) => event.preventDefault()
    window.addEventListener('beforeunload', ask)
    return () => window.removeEventListener('beforeunload', ask)
  }, [when])
  if (blocker.state !== 'blocked') return null
  return (
    <Confirm
      title="Leave without saving?"
      yes="Leave it unsaved"
      no="Stay here"
      onYes={() => blocker.proceed()}
      onNo={() => blocker.reset()}
    >
      {what}
    </Confirm>
  )
}
