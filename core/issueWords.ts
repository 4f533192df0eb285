import { z } from 'zod'
import { didYouMean } from './expression/nearest'
import { some } from './text/someOf'

type Issue = z.core.$ZodRawIssue

/** Said of what is not there. */
export const missing = 'it is missing'

/** What a schema wants, by the names that Zod has for it. */
const wanted: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  object: 'a map',
  record: 'a map',
  array: 'a list',
  tuple: 'a list',
  null: 'nothing',
}

const given = (input: unknown): string =>
  input === null || input === undefined ? 'nothing' : Array.isArray(input) ? 'a list' : typeof input === 'object' ? 'a map' : (wanted[typeof input] ?? typeof input) // prettier-ignore

const formats: Readonly<Record<string, string>> = {
  email: 'an e-mail address is wanted here',
  url: 'an address such as https://example.org is wanted here',
  datetime: 'a time such as 2026-01-31T05:30:00Z is wanted here (ISO 8601)',
  date: 'a day such as 2026-01-31 is wanted here (ISO 8601)',
  uuid: 'a UUID is wanted here',
}

const countOf = (n: number | bigint, one: string, many: string): string =>
  `${n} ${Number(n) === 1 ? one : many}`

/** How much there has to be, by what is counted. */
function bound(origin: string, limit: number | bigint, words: string): string {
  if (origin === 'string') return `${words} ${countOf(limit, 'letter', 'letters')}`
  if (origin === 'array' || origin === 'set') return `${words} ${countOf(limit, 'entry', 'entries')}`
  return `${words} ${limit}`
}

const byCode: { readonly [code: string]: (issue: never) => string | undefined } = {
  invalid_type: ({ expected, input }: z.core.$ZodIssueInvalidType & { input: unknown }) => {
    if (input === undefined) return missing
    if (expected === 'int' && typeof input === 'number') return 'a whole number is wanted here'
    const want = wanted[expected]
    return want && `${want} is wanted here, not ${given(input)}`
  },
  too_small: ({ origin, minimum, inclusive = true }: z.core.$ZodIssueTooSmall) =>
    origin === 'string' && Number(minimum) === 1
      ? 'it may not be empty'
      : bound(origin, minimum, inclusive ? 'at least' : 'more than'),
  too_big: ({ origin, maximum, inclusive = true }: z.core.$ZodIssueTooBig) =>
    bound(origin, maximum, inclusive ? 'at most' : 'less than'),
  invalid_value: ({ values, input }: z.core.$ZodIssueInvalidValue & { input: unknown }) => {
    if (input === undefined) return missing
    const words = values.map(String)
    return words.length === 1
      ? `it must be ${words[0]}`
      : `one of ${some(words, 20)}${typeof input === 'string' ? didYouMean(input, words) : ''}`
  },
  invalid_format: ({ format }: z.core.$ZodIssueInvalidStringFormat) => formats[format],
  invalid_key: ({ issues: [first] }: z.core.$ZodIssueInvalidKey) => first && `as a name it cannot be: ${first.message}`,
  invalid_union: ({ errors, input }: z.core.$ZodIssueInvalidUnion & { input: unknown }) => {
    if (input === undefined) return missing
    // of the kinds that it could be, the one that it is but for something inside
    const inside = errors.find(([first]) => first && first.path.length > 0)?.[0]
    if (inside) return `${inside.path.join('.')}: ${inside.message}`
    const firsts = errors.flatMap(([first]) => first ?? [])
    const kinds = firsts.flatMap((one) => (one.code === 'invalid_type' ? (wanted[one.expected] ?? []) : []))
    const values = firsts.flatMap((one) => (one.code === 'invalid_value' ? one.values.map(String) : []))
    // it is of one of the kinds, which takes it not
    const other = firsts.find((one) => one.code !== 'invalid_type' && one.code !== 'invalid_value')
    if (other) return other.message
    const all = [...new Set([...values, ...kinds])]
    if (all.length === 0) return undefined
    const listed = [all.slice(0, -1).join(', '), all.at(-1)].filter(Boolean).join(' or ')
    return `${listed} is wanted here, not ${given(input)}`
  },
} // prettier-ignore

/** What is wrong, in words of the trade, where a schema has no words of its own for it; undefined for Zod's. */
export const issueWords = (issue: Issue): string | undefined => byCode[issue.code ?? '']?.(issue as never)

// for whatever is read by a schema: documents, forms, requests
z.config({ customError: issueWords })
