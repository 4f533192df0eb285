/** A number as people read it, `10,000`. */
export const number = (value: number): string => value.toLocaleString('en')

/** A few of many, in words: `a, b, c and 5 more`. */
export function some(names: readonly string[], most = 3): string {
  const shown = names.slice(0, most).join(', ')
  return names.length > most ? `${shown} and ${number(names.length - most)} more` : shown
}
