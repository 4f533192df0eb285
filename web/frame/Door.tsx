import type { ReactElement, ReactNode } from 'react'
import { Mark } from './Shell'

/** The page before anybody is signed in: whose it is, and what is asked. */
export function Door({
  organisation,
  width = 380,
  children,
}: {
  readonly organisation: string
  readonly width?: number
  readonly children: ReactNode
}): ReactElement {
  return (
    <main style={{ minHeight: '100%', display: 'grid', placeItems: 'center', padding: 20 }}>
      <div className="stack" style={{ width }}>
        <div>
          <h1 className="mark" style={{ fontSize: 19 }}>
            <Mark /> Mattock
          </h1>
          <p className="soft" style={{ margin: '4px 0 0' }}>
            {organisation}
          </p>
        </div>
        {children}
      </div>
    </main>
  )
}
