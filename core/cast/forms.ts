/** How values of Postgres types are written: patterns that mean the same in RE2 (DuckDB's) and in ECMAScript. */

export const day = '([0-9]{4,6}-[0-9]{1,2}-[0-9]{1,2}|[0-9]{4}/[0-9]{1,2}/[0-9]{1,2})'
export const era = '( ?\\(?BC\\)?)?'
/** Digits of a second that a type keeps, `timestamp(3)`; microseconds where it says none (Postgres, 8.5). */
export const secondDigits = (type: string): number => Number(/\((\d)\)/.exec(type)?.[1] ?? 6)
/** A time of day; of a finer fraction than its type keeps only zeros may follow. */
export const clock = (digits: number): string =>
  `([01]?[0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.,]${digits > 0 ? `[0-9]{1,${digits}}` : ''}0*)?)?`
/** The same as most are written: judged by one look. */
export const plainClock = (digits: number): string =>
  `([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]${digits > 0 ? `(\\.[0-9]{1,${digits}})?` : ''})?`
/** Days that every year has, in full; February's 29th is looked up. */
export const plainDay =
  '[1-9][0-9]{3}-((0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])|(0[13-9]|1[0-2])-(29|30)|(0[13578]|1[02])-31)'
export const midnight = '([T ]00:00(:00([.,]0+)?)?)?'
/** Postgres knows offsets of less than 16 hours. */
export const offset = ' ?(Z|z|UTC|[+-](0[0-9]|1[0-5])(:?[0-5][0-9](:?[0-5][0-9])?)?)'
/** Looked for in lower case. */
export const never = '[+-]?(infinity|inf)'
export const number = '[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]{1,3})?'
/** Looked for in lower case. */
export const booleanWords = 'true|false|t|f|yes|no|y|n|on|off|1|0'
