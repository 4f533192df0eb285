import { Children, type ReactElement, type ReactNode } from 'react'
import { Group, Panel, Separator, useDefaultLayout } from 'react-resizable-panels'

/** Two sheets beside each other with a divider to drag (or arrows, where it has the focus); its place is remembered. */
export function Panels({
  name,
  first,
  least = [260, 300],
  children,
}: {
  /** What its place is remembered under. */
  readonly name: string
  /** Share of the first, in percent, until somebody moves the divider. */
  readonly first: number
  /** Pixels that each keeps. */
  readonly least?: readonly [number, number]
  readonly children: ReactNode
}): ReactElement {
  const [left, right] = Children.toArray(children)
  const { defaultLayout, onLayoutChanged } = useDefaultLayout({
    id: `mattock-${name}`,
    panelIds: ['left', 'right'],
    storage: localStorage,
  })
  if (right === undefined) return <div className="panels one">{left}</div>
  return (
    <Group className="panels" {...(defaultLayout ? { defaultLayout } : {})} onLayoutChanged={onLayoutChanged}>
      <Panel id="left" className="panel" defaultSize={`${first}%`} minSize={least[0]}>
        {left}
      </Panel>
      <Separator className="divider" aria-label="divider" />
      <Panel id="right" className="panel" minSize={least[1]}>
        {right}
      </Panel>
    </Group>
  )
}
