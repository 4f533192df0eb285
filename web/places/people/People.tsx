import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { roleNames, type Role } from '../../../core/rights'
import { call, useAnswer } from '../../data/api'
import { useMay } from '../../data/session'
import { FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { numberText, timeText } from '../../look/times'
import { OneTime } from '../../kit/OneTime'
import { Own } from './Own'
import { PersonForm } from './PersonForm'
import { roleWords, type Person } from './words'

const elsewhere = ({ environments }: Person): string =>
  Object.entries(environments)
    .map(([name, role]) => `${role} in ${name}`)
    .join(', ')

const columns: readonly TableColumn<Person>[] = [
  { id: 'name', title: 'who', width: 'minmax(160px, 1fr)', cell: ({ name, own }) => <>{name}{own && <span className="soft"> (you)</span>}</>, value: ({ name }) => name },
  { id: 'email', title: 'signs in as', width: 'minmax(190px, 1.2fr)', cell: ({ email }) => <span className="mono">{email}</span>, value: ({ email }) => email },
  { id: 'role', title: 'is', width: 'minmax(260px, 1.6fr)', cell: (person) => <>{person.role} <span className="soft">{roleWords[person.role]}{elsewhere(person) && `; ${elsewhere(person)}`}</span></>, value: ({ role }) => role },
  { id: 'seen', title: 'last seen', width: '120px', cell: ({ seenAt }) => (seenAt ? timeText(seenAt) : <span className="soft">never</span>), value: ({ seenAt }) => seenAt },
  { id: 'signIns', title: 'sign-ins', width: '80px', number: true, cell: ({ signIns }) => numberText(signIns), value: ({ signIns }) => signIns },
  { id: 'tokens', title: 'tokens', width: '80px', number: true, cell: ({ tokens }) => numberText(tokens), value: ({ tokens }) => tokens },
] // prettier-ignore

/** Who may come in and do what; and by what I am signed in myself. */
export default function People(): ReactElement {
  const keeps = useMay('house')
  const [inviting, setInviting] = useState(false)
  return (
    <>
      <div className="head">
        <h1>People</h1>
        <span className="soft">who may come in, and what they may do</span>
        {keeps && (
          <div className="actions">
            <Button onClick={() => setInviting(true)}>Invite somebody</Button>
          </div>
        )}
      </div>
      {keeps && <Accounts />}
      <Own />
      {inviting && <Invite onClose={() => setInviting(false)} />}
    </>
  )
}

function Accounts(): ReactElement {
  const { data, error, mutate } = useAnswer(routes.people, {}, { keepPreviousData: true })
  const [chosen, setChosen] = useState<number>()
  const open = data?.find(({ id }) => id === chosen)
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="looking who is there" />
  return (
    <div
      className="sheet flush rows"
      style={{ marginBottom: 12, minHeight: Math.min(330, 34 + data.length * 31) }}
    >
      <Table
        label="people"
        columns={columns}
        rows={data}
        rowHeight={31}
        onOpen={({ id }: Person) => setChosen(id)}
      />
      {open && (
        <PersonForm
          key={open.id}
          person={open}
          onClose={() => {
            setChosen(undefined)
            void mutate()
          }}
        />
      )}
    </div>
  )
}

/** Makes an address at which one person makes their account. */
function Invite({ onClose }: { readonly onClose: () => void }): ReactElement {
  const [role, setRole] = useState<Role>('engineer')
  const [code, setCode] = useState<string>()
  const [fault, setFault] = useState<Error>()
  return (
    <Dialog open onClose={onClose} aria-labelledby="invite" fullWidth maxWidth="sm">
      <DialogTitle id="invite">Invite somebody</DialogTitle>
      <DialogContent>
        {code === undefined ? (
          <TextField
            select
            fullWidth
            label="They are to be"
            value={role}
            onChange={(event) => setRole(event.target.value as Role)}
            sx={{ mt: 1 }}
          >
            {roleNames.map((name) => (
              <MenuItem key={name} value={name}>
                {name}: {roleWords[name]}
              </MenuItem>
            ))}
          </TextField>
        ) : (
          <OneTime
            text={`${window.location.origin}/first#${code}`}
            words="Send them this address. It holds once, for a week; a newer one of the same kind takes its place. It is not shown again."
          />
        )}
        {fault && <FaultBox error={fault} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{code === undefined ? 'Leave it' : 'Done'}</Button>
        {code === undefined && (
          <Button
            variant="contained"
            color="primary"
            onClick={() =>
              void call(routes.invitePerson, { body: { role } }).then((made) => setCode(made.code), setFault)
            }
          >
            Make an address
          </Button>
        )}
      </DialogActions>
    </Dialog>
  )
}
