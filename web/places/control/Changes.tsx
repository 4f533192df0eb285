import { LinkButton } from '../../kit/LinkButton'
import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Change as ChangeText } from '../catalog/Change'
import { numberText } from '../../look/times'
import type { Change } from './edits'

const words = { change: 'changed', add: 'new row', remove: 'row removed' }
/** Rows that are listed; more would only slow the page down. */
const most = 300

/** What is not saved yet, row by row, with what is wrong in it; each can be put back. */
export function Changes({
  changes,
  onPutBack,
}: {
  changes: readonly Change[]
  onPutBack: ((change: Change) => void) | undefined
}): ReactElement {
  if (changes.length === 0) return <span className="soft">Nothing is unsaved.</span>
  // what is to be mended comes first
  const sorted = [...changes].sort((a, b) => Number(b.faults.length > 0) - Number(a.faults.length > 0))
  return (
    <Lines>
      <TableBody>
        {sorted.slice(0, most).map((change) => (
          <TableRow key={`${change.kind} ${change.id}`}>
            <TableCell className="mono" style={{ width: 200 }}>
              {change.key}
            </TableCell>
            <TableCell className="keep soft" style={{ width: 90 }}>
              {words[change.kind]}
            </TableCell>
            <TableCell>
              {change.kind === 'change' &&
                change.cells.map(({ column, before, after }) => (
                  <span key={column} style={{ marginRight: 14 }}>
                    {column} <ChangeText before={before} after={after} />
                  </span>
                ))}
              {change.faults.map(({ column, message }) => (
                <b key={column + message} className="bad" style={{ marginRight: 14 }}>
                  {message}
                </b>
              ))}
            </TableCell>
            <TableCell className="number">
              {onPutBack && (
                <LinkButton onClick={() => onPutBack(change)}>
                  {change.kind === 'add' ? 'take away' : 'put back'}
                </LinkButton>
              )}
            </TableCell>
          </TableRow>
        ))}
        {changes.length > most && (
          <TableRow>
            <TableCell colSpan={4} className="soft">
              and {numberText(changes.length - most)} more
            </TableCell>
          </TableRow>
        )}
      </TableBody>
    </Lines>
  )
}
