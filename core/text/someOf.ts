/** A number as people read it, `10,000`. */
export const number = (value: number): string => value.toLocaleString('en')

/** A few of many, in words: `a, b, c and 5 more`; `all` where the names are the first of so many. */
export function some(names: readonly string[], most = 3, all = names.length): string {
  const shown = names.slice(0, most)
  const more = all - shown.length
  return more > 0 ? `${shown.join(', ')} and ${number(more)} more` : shown.join(', ')
}
