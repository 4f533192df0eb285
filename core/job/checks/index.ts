import { z } from 'zod'
import { field } from '../../field/field'
import { givenKind, kindsIn, optionalKinds, type Given, type Specs } from '../kinds'
import type { CheckDefinition } from './definition'
import { equals } from './equals'
import { inRange } from './inRange'
import { none } from './none'
import { notNull } from './notNull'
import { oneOf } from './oneOf'
import { pattern } from './pattern'
import { references } from './references'
import { rows } from './rows'
import { total } from './total'
import { unique } from './unique'
import { usual } from './usual'

/** Checks of rows that are about to be written, or of a table. */
const ofRows = { unique, not_null: notNull, one_of: oneOf, in_range: inRange, pattern, references, rows }

/** Every kind of check. */
export const checks = { ...ofRows, usual, none, equals, total }

export type CheckKind = keyof typeof checks
export type CheckSpec<K extends CheckKind = CheckKind> = Specs<typeof checks>[K]
export const checkKinds = Object.keys(checks) as CheckKind[]

const message = (kinds: readonly string[]) =>
  `one check in each entry: ${kinds.slice(0, -1).join(', ')} or ${kinds.at(-1)}`

/** A check within a transfer, of what is about to be written. */
export const rowCheckSchema = field(
  z.strictObject(optionalKinds(ofRows)).refine((check) => kindsIn(ofRows, check).length === 1, {
    message: message(Object.keys(ofRows)),
  }),
  { oneKind: ofRows },
)

/** A check of a step of its own. */
export const checkSchema = field(
  z.strictObject(optionalKinds(checks)).refine((check) => kindsIn(checks, check).length === 1, {
    message: message(checkKinds),
  }),
  { oneKind: checks },
)
export type Check = z.output<typeof checkSchema>

/** Which check it is, and what it is given. */
export const checkOf = (check: Check): Given<typeof checks> => givenKind(checks, check)

export const checkDefinition = (kind: CheckKind): CheckDefinition =>
  checks[kind] as unknown as CheckDefinition

/** A check in words. */
export function checkText(check: Check): string {
  const { kind, spec } = checkOf(check)
  return (checks[kind].text as (given: CheckSpec) => string)(spec)
}
