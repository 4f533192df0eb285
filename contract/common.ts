import { z } from 'zod'

/** What many routes ask for in the same way. */

const largest = 2 ** 31 - 1

/** The number of a run, a plan, a load or the like, in an address. */
export const numberInAddress = z.coerce.number().int().min(0).max(largest)
/** The same within a document. */
export const numberInBody = z.int().min(0).max(largest)
/** How many of something may be, where some may. */
export const countInBody = z.int().min(1).max(largest)

export const id = z.object({ id: numberInAddress })
export const name = z.object({ name: z.string() })
export const inEnvironment = z.object({ environment: z.string() })

/** A stretch of a long list. */
export const page = {
  offset: z.coerce.number().int().min(0).max(largest).default(0),
  limit: z.coerce.number().int().min(1).max(1000).default(100),
}

/** A point in time, or a day. */
export const moment = z.union([z.iso.datetime({ offset: true }), z.iso.date()])
