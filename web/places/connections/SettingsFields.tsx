import { MenuItem, TextField } from '@mui/material'
import type { ReactElement } from 'react'
import type { ConnectionKind } from '../../../core/connection/connection'

/** What stands in the fields, by the name of the setting. */
export type Values = Readonly<Record<string, string>>

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

/** What stands in the fields at first: what is set, else the usual. */
export const firstValues = (
  kind: ConnectionKind,
  settings: Readonly<Record<string, string | number>> = {},
): Values =>
  Object.fromEntries(fields[kind].map(({ name, first }) => [name, String(settings[name] ?? first ?? '')]))

/** The settings that the fields come to. */
export const settingsFrom = (kind: ConnectionKind, values: Values): Record<string, string | number> =>
  Object.fromEntries(
    fields[kind].map(({ name, number }) => [
      name,
      number ? Number(values[name]) : (values[name] ?? '').trim(),
    ]),
  )

/** What its secret is called; undefined where it has none. */
export function secretOf(kind: ConnectionKind, values: Values): string | undefined {
  if (kind === 'postgres') return 'password'
  if (kind !== 'service' || values.sign_in === 'none') return undefined
  return values.sign_in === 'basic' ? 'password' : 'token'
}

/** The fields of a connection's settings, those that matter for what is chosen. */
export function SettingsFields({
  kind,
  values,
  onValues,
  wrong,
}: {
  kind: ConnectionKind
  values: Values
  onValues: (values: Values) => void
  /** The settings that something is wrong with. */
  wrong: ReadonlySet<string>
}): ReactElement {
  return (
    <>
      {fields[kind]
        .filter(({ when }) => when?.(values) ?? true)
        .map(({ name, label, options, lines, number }) => (
          <TextField
            key={name}
            label={label}
            value={values[name]}
            error={wrong.has(name)}
            {...(options ? { select: true } : {})}
            {...(lines ? { multiline: true, minRows: 2 } : {})}
            onChange={(event) =>
              onValues({
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
    </>
  )
}
