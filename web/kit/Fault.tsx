import type { ReactElement, ReactNode } from 'react'

/** Something went wrong: what, and what can be done. */
export function FaultBox({ error, children }: { error: Error; children?: ReactNode }): ReactElement {
  return (
    <div className="fault" role="alert">
      {error.message}
      {children}
    </div>
  )
}

/** A place that has nothing yet says what it is for and how to begin. */
export function Empty({ children }: { children: ReactNode }): ReactElement {
  return <div className="empty">{children}</div>
}

/** Room for what is on its way; the words appear only where it takes long. */
export function Waiting({ what }: { what: string }): ReactElement {
  return (
    <div className="empty" role="status">
      {what} …
    </div>
  )
}
