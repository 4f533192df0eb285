import { Button, MenuItem, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import type { ConnectionKind } from '../../../core/connection'
import { ApiFault, call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../parts/Fault'
import type { Connection } from './Connections'

type Values = Readonly<Record<string, string>>

interface Field {
  readonly name: string
  readonly label: string
  /** What it may be, with the words for it. */
  readonly options?: Readonly<Record<string, string>>
  readonly lines?: boolean
  readonly number?: boolean
  readonly first?: string
  /** Shown only where it matters. */
  readonly when?: (values: Values) => boolean
}

const paged = ({ paging }: Values): boolean => paging !== 'none' && paging !== 'link'

const fields: Readonly<Record<ConnectionKind, readonly Field[]>> = {
  postgres: [
    { name: 'host', label: 'Host' },
    { name: 'port', label: 'Port', number: true, first: '5432' },
    { name: 'database', label: 'Database' },
    { name: 'user', label: 'User' },
  ],
  files: [{ name: 'folder', label: 'Folder on the machines that work' }],
  service: [
    { name: 'base', label: 'Base address' },
    { name: 'sign_in', label: 'Signs in', first: 'none', options: { none: 'not at all', token: 'with a bearer token', header: 'with a token in a header of its own', basic: 'with user and password (basic)' } },
    { name: 'token_header', label: 'Header of the token', when: ({ sign_in }) => sign_in === 'header' },
    { name: 'user', label: 'User', when: ({ sign_in }) => sign_in === 'basic' },
    { name: 'paging', label: 'Pages come', first: 'none', options: { none: 'all at once', page: 'by page number', offset: 'by offset', cursor: 'by a cursor in the answer', link: 'by the Link header' } },
    { name: 'page_parameter', label: 'Parameter of the page, offset or cursor', when: paged },
    { name: 'first_page', label: 'Number of the first page', number: true, first: '1', when: ({ paging }) => paging === 'page' },
    { name: 'cursor_path', label: 'Where the next cursor is in the answer, such as meta.next', when: ({ paging }) => paging === 'cursor' },
    { name: 'size_parameter', label: 'Parameter of the page’s size (empty: none)', when: ({ paging }) => paging !== 'none' },
    { name: 'page_size', label: 'Records a page', number: true, first: '100', when: ({ paging }) => paging !== 'none' },
    { name: 'records', label: 'Where the records are in the answer (empty: it is the list)' },
    { name: 'per_minute', label: 'Requests a minute (0: no limit)', number: true, first: '0' },
    { name: 'headers', label: 'More headers, one a line as Name: value', lines: true },
    { name: 'endpoints', label: 'Addresses worth knowing, one path a line', lines: true },
  ],
} // prettier-ignore

/** Settings of a connection in one environment. A secret left empty stays as it is. */
export function SettingsForm({
  connection,
  onClose,
}: {
  connection: Connection
  onClose: (changed: boolean) => void
}): ReactElement {
  const { environment } = useHere()
  const given = connection.settings.find((entry) => entry.environment === environment)
  const near = given ?? connection.settings[0]
  const all = fields[connection.kind]
  const [values, setValues] = useState<Values>(() =>
    Object.fromEntries(all.map(({ name, first }) => [name, String(near?.settings[name] ?? first ?? '')])),
  )
  const [secret, setSecret] = useState('')
  const [title, setTitle] = useState(connection.title)
  const [cap, setCap] = useState(connection.cap === null ? '' : String(connection.cap))
  const [fault, setFault] = useState<Error>()
  const wrong = fault instanceof ApiFault ? fault.fault.where.path : undefined
  const secretWords =
    connection.kind === 'postgres'
      ? 'password'
      : connection.kind === 'service' && values.sign_in !== 'none'
        ? values.sign_in === 'basic'
          ? 'password'
          : 'token'
        : undefined
  const save = async () => {
    const settings = Object.fromEntries(
      all.map(({ name, number }) => [name, number ? Number(values[name]) : (values[name] ?? '').trim()]),
    )
    if (title !== connection.title || cap !== String(connection.cap ?? '')) {
      await call(routes.changeConnection, {
        params: { name: connection.name },
        body: { title, cap: cap === '' ? null : Number(cap) },
      })
    }
    await call(routes.saveSettings, {
      params: { name: connection.name, environment },
      body: { settings, ...(secret === '' ? {} : { secret }) },
    })
    onClose(true)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save().catch(setFault)
  }
  return (
    <form onSubmit={submit} className="stack" style={{ paddingTop: 6 }}>
      {all
        .filter(({ when }) => when?.(values) ?? true)
        .map(({ name, label, options, lines, number }) => (
          <TextField
            key={name}
            label={label}
            value={values[name]}
            error={wrong === name}
            {...(options ? { select: true } : {})}
            {...(lines ? { multiline: true, minRows: 2 } : {})}
            onChange={(event) =>
              setValues({
                ...values,
                [name]: number ? event.target.value.replace(/\D/g, '') : event.target.value,
              })
            }
          >
            {Object.entries(options ?? {}).map(([value, words]) => (
              <MenuItem key={value} value={value}>
                {words}
              </MenuItem>
            ))}
          </TextField>
        ))}
      {secretWords && (
        <TextField
          label={
            given?.hasSecret
              ? `New ${secretWords} (empty: keep the one there is)`
              : `${secretWords[0]!.toUpperCase()}${secretWords.slice(1)}`
          }
          type="password"
          autoComplete="new-password"
          value={secret}
          onChange={(event) => setSecret(event.target.value)}
        />
      )}
      <div className="line">
        <TextField
          label="Title, in every environment"
          value={title}
          onChange={(event) => setTitle(event.target.value)}
          sx={{ flex: 1 }}
        />
        <TextField
          label="Loads at once (empty: no cap)"
          value={cap}
          onChange={(event) => setCap(event.target.value.replace(/\D/g, ''))}
          sx={{ width: 210 }}
        />
      </div>
      {fault && <FaultBox error={fault} />}
      <div className="line">
        <Button type="submit" variant="contained" color="primary">
          Save for {environment}
        </Button>
        <Button onClick={() => onClose(false)}>Leave as it was</Button>
      </div>
    </form>
  )
}
