import { z } from 'zod'
import { addressSchema } from '../job/messages'
import { field } from '../field/field'
import { identifier } from '../job/identifier'
import { zoneFault } from '../schedule/zone'
import { tellsSchema } from './kinds'

/** Who is told of what, and how: a rule of alerts. */
export const alertRuleSchema = z.strictObject({
  name: identifier.describe('what it is called in scripts; it stays'),
  title: z.string().trim().min(1, 'needs a value').max(200).describe('what it is called'),
  in: field(z.array(field(z.string().min(1).max(100), { names: 'environment' })).min(1, 'at least one environment').max(20), { label: 'in' }).describe('environments that it looks at'),
  zone: z
    .string()
    .superRefine((zone, context) => {
      const fault = zoneFault(zone)
      if (fault !== undefined) context.addIssue({ code: 'custom', message: fault })
    })
    .default('UTC')
    .describe('IANA time zone of its hours, and of the times in what it says'),
  tells: tellsSchema,
  to: field(z.array(addressSchema).min(1, 'at least one to be told').max(20), { label: 'to' }),
}) // prettier-ignore
export type AlertRule = z.output<typeof alertRuleSchema>
export type AlertRuleGiven = z.input<typeof alertRuleSchema>
