import { TableCell, TableRow } from '@mui/material'
import type { ReactElement, ReactNode } from 'react'

/** A line of what is known of a load or a step. */
export function Fact({ name, children }: { name: string; children: ReactNode }): ReactElement {
  return (
    <TableRow>
      <TableCell component="th" scope="row" style={{ width: 118 }}>
        {name}
      </TableCell>
      <TableCell className="mono">{children}</TableCell>
    </TableRow>
  )
}
