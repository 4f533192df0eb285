/** How values of Postgres types are written: patterns that mean the same in RE2 (DuckDB's) and in ECMAScript. */

export const day = '([0-9]{4,6}-[0-9]{1,2}-[0-9]{1,2}|[0-9]{4}/[0-9]{1,2}/[0-9]{1,2})'
export const era = '( ?\\(?BC\\)?)?'
/** Postgres keeps microseconds: of a finer fraction only zeros may follow. */
const fraction = '([.,][0-9]{1,6}0*)?'
export const clock = `([01]?[0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]${fraction})?`
export const midnight = '([T ]00:00(:00([.,]0+)?)?)?'
/** Postgres knows offsets of less than 16 hours. */
export const offset = ' ?(Z|z|UTC|[+-](0[0-9]|1[0-5])(:?[0-5][0-9](:?[0-5][0-9])?)?)'
/** Looked for in lower case. */
export const never = '[+-]?(infinity|inf)'
export const number = '[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]{1,3})?'
/** Looked for in lower case. */
export const booleanWords = 'true|false|t|f|yes|no|y|n|on|off|1|0'
