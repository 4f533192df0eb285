import { z } from 'zod'

const columnName = z.string().min(1)

export const checkSchema = z
  .strictObject({
    unique: z.array(columnName).min(1).optional(),
    not_null: z.array(columnName).min(1).optional(),
    rows: z
      .strictObject({ at_least: z.int().min(0).optional(), at_most: z.int().min(0).optional() })
      .optional(),
  })
  .refine((check) => Object.values(check).filter((value) => value !== undefined).length === 1, {
    message: 'one check in each entry: unique, not_null or rows',
  })
export type Check = z.output<typeof checkSchema>
