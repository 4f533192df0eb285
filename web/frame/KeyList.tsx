import { Lines } from '../kit/Lines'
import { Dialog, DialogContent, DialogTitle, TableBody, TableCell, TableRow } from '@mui/material'
import type { ReactElement } from 'react'

const keys = [
  ['/', 'go to a job, table, dataset, connection or run'],
  ['arrows, j k', 'move in a list'],
  ['Enter', 'open'],
  ['x', 'pick; with Shift and an arrow, several'],
  ['p', 'plan the job'],
  ['t', 'try it with a row or a few'],
  ['r', 'rerun what failed'],
  ['f', 'find, in the catalog'],
  ['e', 'edit the columns of a dataset'],
  ['Ctrl+S', 'save'],
  ['?', 'this list'],
]

export default function KeyList({ onClose }: { onClose: () => void }): ReactElement {
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <Lines>
          <TableBody>
            {keys.map(([key, does]) => (
              <TableRow key={key}>
                <TableCell component="th" scope="row" className="mono">
                  {key}
                </TableCell>
                <TableCell>{does}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      </DialogContent>
    </Dialog>
  )
}
