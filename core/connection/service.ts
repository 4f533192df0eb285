import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'
import { lines, maybe } from './texts'

export const pagings = ['none', 'page', 'offset', 'cursor', 'link'] as const

type Beside = Readonly<Record<string, unknown>>
const paged = ({ paging }: Beside): boolean => paging !== 'none' && paging !== 'link'

/** Settings of an HTTP JSON service. The secret (token or password) is kept apart. */
const settings = z.strictObject({
  base: field(
    z
      .url({ protocol: /^https?$/, error: 'an address that begins with http:// or https://' })
      .refine(
        (text) => !/^https?:\/\/[^/]*@/.test(text),
        'an address without user and password; they are given apart, and kept',
      ),
    {
      label: 'base address',
      usual: 'https://example.org/api',
    },
  ).describe('what goes before every path'),
  headers: field(lines(/^[A-Za-z0-9-]+:\s*\S/, 'one header a line, as Name: value'), {
    label: 'headers',
    usual: 'Name: value, one a line',
    lines: 2,
  }).describe('headers that go with every request; their values are kept as secrets'),
  sign_in: field(z.enum(['none', 'token', 'header', 'basic']), {
    label: 'signs in',
    words: {
      none: 'not at all',
      token: 'with a bearer token',
      header: 'with a token in a header of its own',
      basic: 'with user and password (basic)',
    },
  })
    .default('none')
    .describe('how it is signed in: not at all, a bearer token, a token in a header of its own, or basic'),
  token_header: field(maybe(), {
    label: 'token header',
    usual: 'X-Token',
    when: ({ sign_in }) => sign_in === 'header',
  }).describe('the header that carries the token'),
  user: field(maybe(), { label: 'user', when: ({ sign_in }) => sign_in === 'basic' }).describe(
    'who signs in',
  ),
  paging: field(z.enum(pagings), {
    label: 'pages come',
    words: {
      none: 'all at once',
      page: 'by page number',
      offset: 'by offset',
      cursor: 'by a cursor in the answer',
      link: 'by the Link header',
    },
  })
    .default('none')
    .describe(
      'how pages follow each other: a page number, an offset, a cursor in the answer, or a Link header (RFC 8288)',
    ),
  page_parameter: field(maybe(), { label: 'page parameter', when: paged }).describe(
    'query parameter of the page number, the offset or the cursor',
  ),
  size_parameter: field(maybe(), {
    label: 'size parameter',
    usual: 'none',
    when: ({ paging }) => paging !== 'none',
  }).describe('query parameter of the page’s size'),
  page_size: field(z.coerce.number<string | number>().int().min(1).max(100_000), {
    label: 'records a page',
    when: ({ paging }) => paging !== 'none',
  })
    .default(100)
    .describe('records of a page'),
  first_page: field(z.coerce.number<string | number>().int().min(0), {
    label: 'first page',
    when: ({ paging }) => paging === 'page',
  })
    .default(1)
    .describe('number of the first page'),
  cursor_path: field(maybe(), {
    label: 'next cursor at',
    usual: 'meta.next',
    when: ({ paging }) => paging === 'cursor',
  }).describe('path in the answer to the next cursor, such as meta.next'),
  records: field(maybe(), { label: 'records at', usual: 'the answer is the list' }).describe(
    'path in the answer to the list of records; empty: the answer is the list',
  ),
  per_minute: field(z.coerce.number<string | number>().int().min(0), {
    label: 'requests a minute',
  })
    .default(0)
    .describe('requests a minute, 0 for no limit'),
  endpoints: field(lines(/^\//, 'one path a line, each beginning with /'), {
    label: 'addresses',
    usual: '/orders, one a line',
    lines: 2,
  }).describe('addresses worth knowing, one a line; the first is used to test'),
})
export type ServiceSettings = z.output<typeof settings>

export const service = defineConnector({
  title: 'HTTP JSON service',
  words: 'an HTTP service',
  holds: 'records',
  settings,
  secret: ({ sign_in = 'none' }) =>
    sign_in === 'none' ? undefined : sign_in === 'basic' ? 'password' : 'token',
  givenTo: ({ base }) => URL.parse(String(base))?.origin ?? String(base),
  secretLines: 'headers',
})
