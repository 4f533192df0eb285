import { Dialog, DialogContent, DialogTitle } from '@mui/material'
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
        <table className="plain">
          <tbody>
            {keys.map(([key, does]) => (
              <tr key={key}>
                <th scope="row" className="mono">
                  {key}
                </th>
                <td>{does}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </DialogContent>
    </Dialog>
  )
}
