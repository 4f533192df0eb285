import { z } from 'zod'

/** A text that must be given. */
export const filled = () => z.string().trim().min(1, 'needs a value')
/** A text that may be empty. */
export const maybe = () => z.string().trim().default('')
/** Lines of a form; empty ones do not count. */
export const lines = (line: RegExp, message: string) =>
  maybe().refine(
    (value) => value.split('\n').every((entry) => entry.trim() === '' || line.test(entry.trim())),
    message,
  )
