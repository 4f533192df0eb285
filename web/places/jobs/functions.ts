/** Functions an expression may use, as they are offered. */
export const functions = [
  'format(slice.from, "yyyyMMdd")',
  'name(',
  'list(',
  'pattern(',
  'size(',
  'has(',
] as const
