import { useEffect, type ReactElement } from 'react'
import { useBlocker, useInRouterContext } from 'react-router'
import { Confirm } from './Confirm'

interface Props {
  readonly when: boolean
  readonly what?: string
  /** Pages from which one comes back to the work as it was. */
  readonly but?: (path: string) => boolean
}

/** Asks before a page is left with work that is not saved; closing the window asks in the browser's own way. */
export function LeaveGuard({ when, ...rest }: Props): ReactElement | null {
  useEffect(() => {
    if (!when) return
    const ask = (event: BeforeUnloadEvent) => event.preventDefault()
    window.addEventListener('beforeunload', ask)
    return () => window.removeEventListener('beforeunload', ask)
  }, [when])
  // the page of the first account stands before all others: there is none to go to
  return useInRouterContext() ? <PageGuard when={when} {...rest} /> : null
}

function PageGuard({
  when,
  what = 'What you changed here is not saved.',
  but = () => false,
}: Props): ReactElement | null {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      when && currentLocation.pathname !== nextLocation.pathname && !but(nextLocation.pathname),
  )
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
