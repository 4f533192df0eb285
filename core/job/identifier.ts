import { z } from 'zod'

/** The id of a step, a part or a parameter. */
export const identifier = z
  .string()
  .regex(/^[a-z][a-z0-9_-]{0,62}$/, 'lower-case letters, digits, - and _, beginning with a letter')
