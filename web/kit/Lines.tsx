import { Table } from '@mui/material'
import type { CSSProperties, ReactElement, ReactNode } from 'react'

/** A short table that stands in the flow of a page: facts, few rows, fields in rows. Long lists are a Table. */
export function Lines({
  label,
  mono = false,
  fixed = false,
  style,
  children,
}: {
  /** What it is of, for a screen reader. */
  readonly label?: string
  readonly mono?: boolean
  /** Columns of given widths. */
  readonly fixed?: boolean
  readonly style?: CSSProperties
  readonly children: ReactNode
}): ReactElement {
  return (
    <Table
      size="small"
      aria-label={label}
      className={mono ? 'lines mono' : 'lines'}
      style={{ ...(fixed ? { tableLayout: 'fixed' } : {}), ...style }}
    >
      {children}
    </Table>
  )
}
