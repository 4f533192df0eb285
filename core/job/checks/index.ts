import { z } from 'zod'
import { field } from '../../field/field'
import { givenKind, kindsIn, optionalKinds, type Given, type Specs } from '../kinds'
import { notNull } from './notNull'
import { rows } from './rows'
import { unique } from './unique'

/** Every kind of check. */
export const checks = { unique, not_null: notNull, rows }

export type CheckKind = keyof typeof checks
export type CheckSpec<K extends CheckKind = CheckKind> = Specs<typeof checks>[K]
export const checkKinds = Object.keys(checks) as CheckKind[]

export const checkSchema = field(
  z.strictObject(optionalKinds(checks)).refine((check) => kindsIn(checks, check).length === 1, {
    message: `one check in each entry: ${checkKinds.slice(0, -1).join(', ')} or ${checkKinds.at(-1)}`,
  }),
  { oneKind: checks },
)
export type Check = z.output<typeof checkSchema>

/** Which check it is, and what it is given. */
export const checkOf = (check: Check): Given<typeof checks> => givenKind(checks, check)

/** A check in words. */
export function checkText(check: Check): string {
  const { kind, spec } = checkOf(check)
  return (checks[kind].text as (given: CheckSpec) => string)(spec)
}
