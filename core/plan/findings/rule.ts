import type { Gatherer } from '../gather'
import type { Expansion, Facts } from '../types'

/** Looks at a whole plan with what was found out, and says what it finds. */
export type Rule = (expansion: Expansion, facts: Facts, findings: Gatherer) => void

/** A number as people read it, `10,000`. */
export const number = (value: number): string => value.toLocaleString('en')

/** A few of many, in words: `a, b, c and 5 more`. */
export function some(names: readonly string[], most = 3): string {
  const shown = names.slice(0, most).join(', ')
  return names.length > most ? `${shown} and ${number(names.length - most)} more` : shown
}
