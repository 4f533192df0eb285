import { z } from 'zod'

export const connectionKinds = ['postgres', 'files', 'service'] as const
export type ConnectionKind = (typeof connectionKinds)[number]

/** What a connection of a kind is, in words. */
export const kindWords = {
  postgres: 'a database',
  files: 'a file store',
  service: 'an HTTP service',
} as const

const text = z.string().trim().min(1, 'needs a value')
const optional = z.string().trim().default('')
const lines = (line: RegExp, message: string) =>
  optional.refine(
    (value) => value.split('\n').every((entry) => entry.trim() === '' || line.test(entry.trim())),
    message,
  )

export const postgresSettings = z.strictObject({
  host: text,
  port: z.coerce.number().int().min(1).max(65535),
  database: text,
  user: text,
})

export const filesSettings = z.strictObject({ folder: text })

export const pagings = ['none', 'page', 'offset', 'cursor', 'link'] as const

/** Settings of an HTTP JSON service. The secret (token or password) is kept apart. */
export const serviceSettings = z.strictObject({
  base: z.url({ protocol: /^https?$/, error: 'an address that begins with http:// or https://' }),
  headers: lines(/^[A-Za-z0-9-]+:\s*\S/, 'one header a line, as Name: value'),
  /** How it is signed in: not at all, a bearer token, a token in a header of its own, or basic. */
  sign_in: z.enum(['none', 'token', 'header', 'basic']).default('none'),
  /** The header that carries the token, for `header`. */
  token_header: optional,
  user: optional,
  /** How pages follow each other: a page number, an offset, a cursor in the answer, or a Link header (RFC 8288). */
  paging: z.enum(pagings).default('none'),
  /** Query parameter of the page number, the offset or the cursor. */
  page_parameter: optional,
  size_parameter: optional,
  page_size: z.coerce.number().int().min(1).max(100_000).default(100),
  first_page: z.coerce.number().int().min(0).default(1),
  /** Path in the answer to the next cursor, such as `meta.next`. */
  cursor_path: optional,
  /** Path in the answer to the list of records; empty: the answer is the list. */
  records: optional,
  /** Requests a minute, 0 for no limit. */
  per_minute: z.coerce.number().int().min(0).default(0),
  /** Addresses worth knowing, one a line; the first is used to test. */
  endpoints: lines(/^\//, 'one path a line, each beginning with /'),
})
export type ServiceSettings = z.output<typeof serviceSettings>

export const settingsOf = {
  postgres: postgresSettings,
  files: filesSettings,
  service: serviceSettings,
} as const
