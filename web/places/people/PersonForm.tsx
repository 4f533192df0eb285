import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { roleNames, type Role } from '../../../core/rights'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { Confirm } from '../../kit/Confirm'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { roleWords, type Person } from './words'

/** What one account may do: everywhere, and in single environments. */
export function PersonForm({
  person,
  onClose,
}: {
  readonly person: Person
  readonly onClose: () => void
}): ReactElement {
  const { session } = useHere()
  const [role, setRole] = useState<Role>(person.role)
  const [environments, setEnvironments] = useState<Readonly<Record<string, Role>>>(person.environments)
  const [fault, setFault] = useState<Error>()
  const [removing, setRemoving] = useState(false)
  const change = (body: { role: Role; environments: Record<string, Role> }) =>
    call(routes.changePerson, { params: { id: person.id }, body })
  const save = () =>
    change({ role, environments: { ...environments } }).then(() => {
      say(
        `${person.name} is ${role}`,
        () => void change({ role: person.role, environments: person.environments }),
      )
      onClose()
    }, setFault)
  const set = (name: string, given: Role | '') => {
    const { [name]: _, ...rest } = environments
    setEnvironments(given === '' ? rest : { ...rest, [name]: given })
  }
  if (removing)
    return (
      <Confirm
        title={`Remove ${person.name}?`}
        yes="Remove"
        onNo={() => setRemoving(false)}
        onYes={async () => {
          await call(routes.removePerson, { params: { id: person.id } })
          say(`${person.name} is removed`)
          onClose()
        }}
      >
        <p>Sign-ins and tokens end at once. What they did stays, with their name.</p>
      </Confirm>
    )
  return (
    <Dialog open onClose={onClose} aria-labelledby="person" fullWidth maxWidth="sm">
      <DialogTitle id="person">{person.name}</DialogTitle>
      <DialogContent>
        <form
          id="person-form"
          className="stack"
          style={{ paddingTop: 8 }}
          onSubmit={(event) => {
            event.preventDefault()
            void save()
          }}
        >
          <TextField select label="Is" value={role} onChange={(event) => setRole(event.target.value as Role)}>
            {roleNames.map((name) => (
              <MenuItem key={name} value={name}>
                {name}: {roleWords[name]}
              </MenuItem>
            ))}
          </TextField>
          {session.environments.map(({ name }) => (
            <TextField
              key={name}
              select
              label={`In ${name}`}
              value={environments[name] ?? ''}
              onChange={(event) => set(name, event.target.value as Role | '')}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            >
              <MenuItem value="">the same</MenuItem>
              {roleNames
                .filter((one) => one !== 'keeper')
                .map((one) => (
                  <MenuItem key={one} value={one}>
                    {one}: {roleWords[one]}
                  </MenuItem>
                ))}
            </TextField>
          ))}
          {fault && <FaultBox error={fault} />}
        </form>
      </DialogContent>
      <DialogActions>
        <Button style={{ marginRight: 'auto' }} onClick={() => setRemoving(true)}>
          Remove
        </Button>
        <Button onClick={onClose}>Leave it as it was</Button>
        <Button type="submit" form="person-form" variant="contained" color="primary">
          Save
        </Button>
      </DialogActions>
    </Dialog>
  )
}
