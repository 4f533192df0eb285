/** Every code a fault may have, with what it says of the asking: the status of HTTP (RFC 9110). */
export const faultCodes = {
  'unknown-name': 404,
  conflict: 409,
  'plan-stops': 409,
  /** What was to be run was run before; `where.run` is which. */
  'already-started': 409,
  'still-running': 409,
  /** Rejected rows that cannot be brought in. */
  mend: 409,
  'not-running': 409,
  'not-held': 409,
  'signed-out': 401,
  forbidden: 403,
  /** Asked for under a name that the server does not go by. */
  host: 421,
  /** An address for making an account that holds no more. */
  invitation: 410,
  'too-many': 429,
  /** Nothing of a body arrived any more. */
  silent: 408,
  internal: 500,
  planner: 500,
  /** Mattock's own database is away; its health says since when and why. */
  away: 503,
  /** Too much is asked at once, or somebody else holds what is needed: the same may work in a moment. */
  busy: 503,
  /** A database refused a statement; the message is its own. */
  database: 422,
  'no-space': 507,
  /** Said by a page that got no answer at all. */
  'no-answer': 503,
  document: 422,
  yaml: 422,
  request: 400,
  control: 400,
  connection: 400,
  service: 400,
  slices: 400,
  cron: 400,
  parameter: 400,
  roster: 400,
  expression: 400,
  syntax: 400,
  template: 400,
  'empty-value': 400,
  'outside-store': 400,
  path: 400,
  pattern: 400,
  'date-pattern': 400,
  file: 400,
  format: 400,
  try: 400,
  'no-loads': 400,
  'key-repeats': 400,
  'range-count': 400,
} as const satisfies Record<string, number>

export type FaultCode = keyof typeof faultCodes
