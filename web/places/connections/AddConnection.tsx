import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from '@mui/material'
import { useState, type ReactElement } from 'react'
import type { ConnectionKind } from '../../../core/connection/connection'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { connectionKinds, connectorOf } from '../../../core/connection/connection'

export function AddConnection({ onClose }: { onClose: (name?: string) => void }): ReactElement {
  const [name, setName] = useState('')
  const [title, setTitle] = useState('')
  const [kind, setKind] = useState<ConnectionKind>('postgres')
  const [fault, setFault] = useState<Error>()
  const add = () =>
    void call(routes.addConnection, { body: { name, title: title || name, kind, cap: null } }).then(
      () => onClose(name),
      setFault,
    )
  return (
    <Dialog open onClose={() => onClose()} aria-labelledby="add-title" fullWidth maxWidth="xs">
      <DialogTitle id="add-title">Add a connection</DialogTitle>
      <DialogContent>
        <div className="stack" style={{ paddingTop: 8 }}>
          <TextField
            label="Name, as jobs will write it"
            value={name}
            onChange={(event) => setName(event.target.value)}
            autoFocus
          />
          <TextField label="What it is" value={title} onChange={(event) => setTitle(event.target.value)} />
          <TextField
            select
            label="Kind"
            value={kind}
            onChange={(event) => setKind(event.target.value as ConnectionKind)}
          >
            {connectionKinds.map((one) => (
              <MenuItem key={one} value={one}>
                {connectorOf(one).title}
              </MenuItem>
            ))}
          </TextField>
          {fault && <FaultBox error={fault} />}
        </div>
      </DialogContent>
      <DialogActions>
        <Button onClick={() => onClose()}>Leave it</Button>
        <Button variant="contained" color="primary" onClick={add} disabled={name === ''}>
          Add
        </Button>
      </DialogActions>
    </Dialog>
  )
}
