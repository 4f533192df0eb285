import { keyWords } from '../places'
import { Lines } from '../kit/Lines'
import { Dialog, DialogContent, DialogTitle, TableBody, TableCell, TableRow } from '@mui/material'
import type { ReactElement } from 'react'

export default function KeyList({ onClose }: { onClose: () => void }): ReactElement {
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <Lines>
          <TableBody>
            {keyWords.map(([key, does]) => (
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
