import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import type { Row } from '../../../core/value'
import { Lines } from '../../kit/Lines'

/** Some of the rows that break a check. */
export function BreakingRows({ rows }: { rows: readonly Row[] }): ReactElement {
  return (
    <div
      style={{ overflow: 'auto', maxHeight: 160, marginTop: 6 }}
      tabIndex={0}
      role="region"
      aria-label="rows that show it"
    >
      <Lines mono>
        <TableHead>
          <TableRow>
            {Object.keys(rows[0]!).map((name) => (
              <TableCell key={name}>{name}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row, i) => (
            <TableRow key={i}>
              {Object.values(row).map((value, j) => (
                <TableCell key={j}>
                  {value === null ? <i className="soft">empty</i> : String(value)}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Lines>
    </div>
  )
}
