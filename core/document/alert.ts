import { z } from 'zod'
import { alertRuleSchema } from '../alert/rule'

/** A rule of alerts as a document. */
export const alertSchema = z.strictObject({
  mattock: z.literal('alert/1').describe('what the document is'),
  ...alertRuleSchema.shape,
})
export type AlertDocument = z.output<typeof alertSchema>
