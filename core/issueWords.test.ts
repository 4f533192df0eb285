import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import './issueWords'

const said = (schema: z.ZodType, value: unknown) => schema.safeParse(value).error?.issues[0]?.message

describe('what is wrong with a value', () => {
  const kinds = z.union([z.enum(['fail', 'keep']), z.strictObject({ up_to: z.int().min(1) })])
  it.each([
    [z.number(), 'x', 'a number is wanted here, not a text'],
    [z.string(), 5, 'a text is wanted here, not a number'],
    [z.string(), null, 'a text is wanted here, not nothing'],
    [z.boolean(), 'yes', 'true or false is wanted here, not a text'],
    [z.array(z.string()), {}, 'a list is wanted here, not a map'],
    [z.record(z.string(), z.string()), [], 'a map is wanted here, not a list'],
    [z.object({ a: z.string() }), {}, 'it is missing'],
    [z.object({ a: z.enum(['b', 'c']) }), {}, 'it is missing'],
    [z.int(), 1.5, 'a whole number is wanted here'],
    [z.int(), 'x', 'a number is wanted here, not a text'],
    [z.number().min(0), -4, 'at least 0'],
    [z.number().gt(0), 0, 'more than 0'],
    [z.int().max(64), 65, 'at most 64'],
    [z.number().lt(1), 1, 'less than 1'],
    [z.string().min(1), '', 'it may not be empty'],
    [z.string().min(12), 'short', 'at least 12 letters'],
    [z.string().max(1), 'ab', 'at most 1 letter'],
    [z.array(z.string()).min(1), [], 'at least 1 entry'],
    [z.array(z.string()).max(2), ['a', 'b', 'c'], 'at most 2 entries'],
    [z.literal('job/1'), 'job/2', 'it must be job/1'],
    [z.enum(['append', 'upsert']), 'upsrt', 'one of append, upsert; did you mean "upsert"?'],
    [z.enum(['append', 'upsert']), 5, 'one of append, upsert'],
    [z.email(), 'x', 'an e-mail address is wanted here'],
    [z.iso.datetime(), 'x', 'a time such as 2026-01-31T05:30:00Z is wanted here (ISO 8601)'],
    [kinds, 5, 'fail, keep or a map is wanted here, not a number'],
    [kinds, { up_to: 0 }, 'at least 1'],
    [z.object({ a: kinds }), {}, 'it is missing'],
    [z.record(z.string().min(2), z.string()), { a: 'x' }, 'as a name it cannot be: at least 2 letters'],
  ])('%# is said in plain words', (schema, value, words) => {
    expect(said(schema, value)).toBe(words)
  })
  it('is said in the words of the schema where it has its own', () => {
    expect(said(z.string().regex(/^a/, 'begins with an a'), 'b')).toBe('begins with an a')
    expect(said(z.number().min(0, 'no debts'), -1)).toBe('no debts')
  })
})
