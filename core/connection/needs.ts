import { z } from 'zod'

/** What a worker reaches that others do not, such as `office`. */
export const tagSchema = z
  .string()
  .regex(/^[a-z][a-z0-9_-]*$/, 'lower-case letters, digits, - and _')
  .max(40)

/** Tags that a worker must all have to reach a connection. */
export const needsSchema = z.array(tagSchema).max(20)
