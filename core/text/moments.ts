import { quoteName } from './slot'

/** The condition that a row lies in a slice; its two values are the slice's ends. */
export const inSliceSql = (column: string): string =>
  `${quoteName(column)} >= $1::timestamptz and ${quoteName(column)} < $2::timestamptz`

/** A parameter that is bound as a point in time, and is not cast to something else beside. */
const bound = /(\$\d+)::timestamptz(\[\])?(?!\s*::|\s+as\b|\s+at\s+time\s+zone\b)/gi

/** Does an SQL text bind points in time? */
export const bindsMoments = (text: string): boolean => /\$\d+::timestamptz/.test(text)

/** The text without saying so, for the database to give each parameter the type of what it meets. */
export const withoutMoments = (text: string): string => text.replace(bound, '$1')

/** Numbers of the parameters that {@link withoutMoments} leaves to the database. */
export const momentParameters = (text: string): number[] => [
  ...new Set(Array.from(text.matchAll(bound), ([, name]) => Number(name!.slice(1)))),
]
