import { Tab, Tabs } from '@mui/material'
import type { ReactElement, ReactNode } from 'react'

/** One of several ways of seeing the same thing. Arrows go from one to the next. */
export function Views<V extends string>({
  label,
  value,
  views,
  onChange,
}: {
  readonly label: string
  readonly value: V
  readonly views: readonly (readonly [view: V, words: ReactNode])[]
  readonly onChange: (view: V) => void
}): ReactElement {
  return (
    <Tabs
      value={value}
      aria-label={label}
      selectionFollowsFocus
      onChange={(_event, next: V) => onChange(next)}
    >
      {views.map(([view, words]) => (
        <Tab key={view} value={view} label={words} />
      ))}
    </Tabs>
  )
}
