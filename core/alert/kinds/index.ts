import { z } from 'zod'
import { field } from '../../field/field'
import { givenKind, kindsIn, optionalKinds, type Given, type Specs } from '../../job/kinds'
import { matters } from './matters'
import { summary } from './summary'

/** Everything that a rule can tell of. */
export const tellings = { matters, summary }
export type TellingKind = keyof typeof tellings
export type TellingSpec<K extends TellingKind = TellingKind> = Specs<typeof tellings>[K]

/** What a rule tells of: one of the kinds. */
export const tellsSchema = field(
  z.strictObject(optionalKinds(tellings)).refine((given) => kindsIn(tellings, given).length === 1, {
    message: `one of ${Object.keys(tellings).join(', ')}`,
  }),
  { label: 'tells', oneKind: tellings },
)
export type Tells = z.output<typeof tellsSchema>

export const tellingOf = (tells: Tells): Given<typeof tellings> => givenKind(tellings, tells)

/** What a rule tells of, in words. */
export function tellsText(tells: Tells, zone: string): string {
  const { kind, spec } = tellingOf(tells)
  return (tellings[kind].text as (given: TellingSpec, zone: string) => string)(spec, zone)
}
