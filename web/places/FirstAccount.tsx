import type { ReactElement } from 'react'
import { z } from 'zod'
import { routes } from '../../contract/routes'
import { newAccount } from '../../contract/shapes'
import { field } from '../../core/field/field'
import { call } from '../data/api'
import type { Session } from '../data/session'
import { Door } from '../frame/Door'
import { Form } from '../kit/Form'

const schema = z.strictObject({
  email: field(newAccount.email, { label: 'Email' }),
  name: field(newAccount.name, { label: 'Name' }),
  password: field(newAccount.password, { label: 'Password', secret: true }),
})

/** The first person makes their account, at the address that the start printed. */
export default function FirstAccount({
  code,
  session,
  onSignedIn,
}: {
  code: string
  session: Session
  onSignedIn: (session: Session) => void
}): ReactElement {
  return (
    <Door organisation={session.organisation} width={420}>
      <div className="sheet">
        <h2>Your account</h2>
        <p className="soft">It may do what you were invited for; the first of all runs the house.</p>
        <Form
          schema={schema}
          values={{ email: '', name: '', password: '' }}
          submit="Make the account"
          onSubmit={async (given) => {
            const made = await call(routes.invitation, { body: { code, ...given } })
            // the code is spent; it need not stay in the history
            window.history.replaceState(null, '', '/')
            onSignedIn(made)
          }}
        />
      </div>
    </Door>
  )
}
