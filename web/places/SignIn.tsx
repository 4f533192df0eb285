import { Lines } from '../kit/Lines'
import { Button, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../contract/routes'
import { call } from '../data/api'
import type { Session } from '../data/session'
import { Door } from '../frame/Door'
import { FaultBox } from '../kit/Fault'

export function SignIn({
  session,
  onSignedIn,
}: {
  session: Session
  onSignedIn: (session: Session) => void
}): ReactElement {
  const [email, setEmail] = useState('')
  const [password, setPassword] = useState('')
  const [error, setError] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const signIn = (as: { email: string; password: string }) => {
    setBusy(true)
    setError(undefined)
    call(routes.signIn, { body: as })
      .then(onSignedIn, setError)
      .finally(() => setBusy(false))
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    signIn({ email, password })
  }
  return (
    <Door organisation={session.organisation}>
      <form className="sheet stack" onSubmit={submit}>
        <TextField
          label="Email"
          type="email"
          autoComplete="username"
          value={email}
          onChange={(event) => setEmail(event.target.value)}
          required
          autoFocus
        />
        <TextField
          label="Password"
          type="password"
          autoComplete="current-password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          required
        />
        {error && <FaultBox error={error} />}
        <div>
          <Button type="submit" variant="contained" color="primary" disabled={busy}>
            Sign in
          </Button>
        </div>
      </form>
      {session.demo.length > 0 && (
        <div className="sheet">
          <h2>Accounts of this demo</h2>
          <Lines>
            <TableBody>
              {session.demo.map((account) => (
                <TableRow key={account.email}>
                  <TableCell>
                    <span className="mono">{account.email}</span>
                    <br />
                    <span className="mono soft">{account.password}</span>
                  </TableCell>
                  <TableCell className="number">
                    <Button disabled={busy} onClick={() => signIn(account)}>
                      Enter as {account.role}
                    </Button>
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
        </div>
      )}
    </Door>
  )
}
