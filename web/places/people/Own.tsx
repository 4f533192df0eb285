import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TableBody, TableCell, TableRow, TextField } from '@mui/material' // prettier-ignore
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { may, rights, type Right } from '../../../core/rights'
import { call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox, Waiting } from '../../kit/Fault'
import { Lines } from '../../kit/Lines'
import { say } from '../../kit/Notice'
import { dayText, timeText } from '../../look/times'
import { OneTime } from '../../kit/OneTime'
import { agentText, rightWords } from './words'

/** By what I am signed in: browsers, and tokens for scripts. */
export function Own(): ReactElement {
  return (
    <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 12, alignItems: 'start' }}>
      <SignIns />
      <Tokens />
    </div>
  )
}

function SignIns(): ReactElement {
  const { data, error, mutate } = useAnswer(routes.signIns, {}, { keepPreviousData: true })
  const [fault, setFault] = useState<Error>()
  const end = (handle: string) =>
    call(routes.endSignIn, { params: { handle } }).then(() => {
      say('That sign-in has ended')
      void mutate()
    }, setFault)
  return (
    <section className="sheet" aria-labelledby="sign-ins">
      <h2 id="sign-ins">Where I am signed in</h2>
      {(fault ?? error) && <FaultBox error={(fault ?? error)!} />}
      {!data ? (
        <Waiting what="looking" />
      ) : (
        <Lines>
          <TableBody>
            {data.map(({ handle, agent, seenAt, createdAt, own }) => (
              <TableRow key={handle}>
                <TableCell>
                  {agentText(agent)} <span className="soft">since {dayText(createdAt)}</span>
                </TableCell>
                <TableCell className="soft keep">
                  {own ? 'this one' : `last used ${timeText(seenAt)}`}
                </TableCell>
                <TableCell className="keep number" style={{ width: 1 }}>
                  {!own && <Button onClick={() => void end(handle)}>End</Button>}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
      <p className="soft" style={{ margin: '8px 0 0' }}>
        One that is not used for a day ends by itself.
      </p>
    </section>
  )
}

function Tokens(): ReactElement {
  const { data, error, mutate } = useAnswer(routes.tokens, {}, { keepPreviousData: true })
  const [fault, setFault] = useState<Error>()
  const [making, setMaking] = useState(false)
  const take = (handle: string, name: string) =>
    call(routes.takeToken, { params: { handle } }).then(() => {
      say(`${name} opens nothing any more`)
      void mutate()
    }, setFault)
  return (
    <section className="sheet" aria-labelledby="tokens">
      <div className="line" style={{ marginBottom: 6 }}>
        <h2 id="tokens" style={{ margin: 0 }}>
          Tokens for scripts
        </h2>
        <Button style={{ marginLeft: 'auto' }} onClick={() => setMaking(true)}>
          Make one
        </Button>
      </div>
      {(fault ?? error) && <FaultBox error={(fault ?? error)!} />}
      {data?.length === 0 && (
        <span className="soft">None. A script signs in with one, through MATTOCK_URL and MATTOCK_TOKEN.</span>
      )}
      {data && data.length > 0 && (
        <Lines>
          <TableBody>
            {data.map(({ handle, name, atMost, usedAt, expiresAt }) => (
              <TableRow key={handle}>
                <TableCell>
                  {name} <span className="soft">for {rightWords[atMost]}</span>
                </TableCell>
                <TableCell className="soft keep">
                  {usedAt ? `used ${timeText(usedAt)}` : 'never used'}
                  {expiresAt && `, ends ${dayText(expiresAt)}`}
                </TableCell>
                <TableCell className="keep number" style={{ width: 1 }}>
                  <Button aria-label={`take ${name} back`} onClick={() => void take(handle, name)}>
                    Take back
                  </Button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
      {making && (
        <NewToken
          onClose={() => {
            setMaking(false)
            void mutate()
          }}
        />
      )}
    </section>
  )
}

const spans = [[7, 'a week'], [30, 'a month'], [90, 'three months'], [366, 'a year'], [null, 'until I take it back']] as const // prettier-ignore

function NewToken({ onClose }: { readonly onClose: () => void }): ReactElement {
  const { account } = useHere().session
  const [name, setName] = useState('')
  const [atMost, setAtMost] = useState<Right>('look')
  const [days, setDays] = useState<number | null>(90)
  const [token, setToken] = useState<string>()
  const [fault, setFault] = useState<Error>()
  return (
    <Dialog open onClose={onClose} aria-labelledby="new-token" fullWidth maxWidth="sm">
      <DialogTitle id="new-token">A token for a script</DialogTitle>
      <DialogContent>
        {token === undefined ? (
          <form
            id="token-form"
            className="stack"
            style={{ paddingTop: 8 }}
            onSubmit={(event) => {
              event.preventDefault()
              void call(routes.makeToken, { body: { name, atMost, days } }).then(
                (made) => setToken(made.token),
                setFault,
              )
            }}
          >
            <TextField
              label="What it is for"
              value={name}
              autoFocus
              required
              onChange={(event) => setName(event.target.value)}
            />
            <TextField
              select
              label="It is for"
              value={atMost}
              onChange={(event) => setAtMost(event.target.value as Right)}
            >
              {rights
                .filter((right) => account !== null && may(account, right))
                .map((right) => (
                  <MenuItem key={right} value={right}>
                    {rightWords[right]}
                  </MenuItem>
                ))}
            </TextField>
            <TextField
              select
              label="It holds"
              value={String(days)}
              onChange={(event) => setDays(event.target.value === 'null' ? null : Number(event.target.value))}
            >
              {spans.map(([value, words]) => (
                <MenuItem key={words} value={String(value)}>
                  {words}
                </MenuItem>
              ))}
            </TextField>
            {fault && <FaultBox error={fault} />}
          </form>
        ) : (
          <OneTime text={token} words="Keep it where the script finds it. It is not shown again." />
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{token === undefined ? 'Leave it' : 'Done'}</Button>
        {token === undefined && (
          <Button
            type="submit"
            form="token-form"
            variant="contained"
            color="primary"
            disabled={name.trim() === ''}
          >
            Make it
          </Button>
        )}
      </DialogActions>
    </Dialog>
  )
}
