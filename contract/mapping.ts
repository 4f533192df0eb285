import { z } from 'zod'

/** How the columns of a transfer's source meet those of its target. */
export const mappingSchema = z.object({
  columns: z.array(
    z.object({
      target: z.string(),
      type: z.string().nullable(),
      source: z.string().nullable(),
      likeness: z.number().nullable(),
      why: z.enum(['given', 'same', 'like', 'none']),
      samples: z.array(z.string().nullable()),
      fails: z.number(),
      failing: z.string().nullable(),
    }),
  ),
  sources: z.array(
    z.object({ name: z.string(), type: z.string().nullable(), sample: z.string().nullable() }),
  ),
  unused: z.array(z.string()),
  /** The first rows of the source, in the order of `sources`. */
  rows: z.array(z.array(z.string().nullable())),
  looked: z.number(),
  exists: z.boolean(),
  unknownColumns: z.string(),
  missingColumns: z.string(),
  from: z.string(),
  into: z.string(),
})
