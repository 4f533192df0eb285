/** A number as people read it, `10,000`. */
export const number = (value: number): string => value.toLocaleString('en')

/** So many of something, `1 row`, `10,000 rows`; `many` where the plural is not the word with an s. */
export const count = (value: number, one: string, many = `${one}s`): string =>
  `${number(value)} ${value === 1 ? one : many}`

/** A few of many, in words: `a, b, c and 5 more`; `all` where the names are the first of so many. */
export function some(names: readonly string[], most = 3, all = names.length): string {
  const shown = names.slice(0, most)
  const more = all - shown.length
  return more > 0 ? `${shown.join(', ')} and ${number(more)} more` : shown.join(', ')
}
