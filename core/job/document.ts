import { z } from 'zod'
import { valueTypes } from '../value'
import { checkSchema } from './check'
import { rosterSchema, scalar } from './roster'
import { template, transferSchema } from './transfer'

export type { Check } from './check'
export type { RosterSpec } from './roster'
export {
  writeModes,
  type RejectRule,
  type ToFiles,
  type ToTable,
  type Transfer,
  type WriteMode,
} from './transfer'

const identifier = z
  .string()
  .regex(/^[a-z][a-z0-9_-]{0,62}$/, 'lower-case letters, digits, - and _, beginning with a letter')

export const parameterSchema = z
  .strictObject({
    type: z.enum(valueTypes).default('text'),
    default: scalar.optional().describe('used where no value is given'),
    required: z.boolean().default(false),
    one_of: z.array(scalar).optional(),
    try: scalar.optional().describe('used in tries only, never in a real run'),
    note: z.string().optional(),
  })
  .describe('a value given at the start of a run')

export const slicesSchema = z
  .strictObject({
    every: z.string().describe('ISO 8601 duration, such as P1D, PT1H, P1M'),
    zone: z.string().default('UTC').describe('IANA time zone'),
    from: z.string().describe('start of the first slice: a date, or a date and time, in the zone'),
    until: z.string().optional().describe('end of the last slice (not part of it)'),
    grace: z.string().optional().describe('ISO 8601 duration to wait after a slice closes'),
  })
  .describe('the job’s data time, cut into half-open spans')

const stepSchema = z
  .strictObject({
    id: identifier,
    title: z.string().optional(),
    note: z.string().optional(),
    off: z.boolean().default(false),
    transfer: transferSchema.optional(),
    sql: z.strictObject({ on: template, text: template }).optional(),
    check: z.strictObject({ on: template, table: template, that: z.array(checkSchema).min(1) }).optional(),
  })
  .refine((step) => [step.transfer, step.sql, step.check].filter(Boolean).length === 1, {
    message: 'a step does one thing: transfer, sql or check',
  })

const partSchema = z
  .strictObject({
    title: z.string().optional(),
    once: z.array(stepSchema).min(1).optional(),
    each: z
      .strictObject({
        roster: rosterSchema,
        at_once: z.int().min(1).max(64).default(4),
        slices: z.boolean().default(true).describe('false: once for each row, whatever the slices'),
      })
      .optional(),
    do: z.array(stepSchema).min(1).optional(),
  })
  .refine((part) => (part.once === undefined) !== (part.each === undefined), {
    message: 'a part is once, or each',
  })
  .refine((part) => (part.each === undefined) === (part.do === undefined), { message: 'each goes with do' })

export const jobSchema = z
  .strictObject({
    mattock: z.literal('job/1'),
    name: identifier,
    title: z.string().min(1),
    note: z.string().optional(),
    tags: z.array(z.string()).default([]),
    parameters: z.record(identifier, parameterSchema).default({}),
    slices: slicesSchema.optional(),
    parts: z.array(partSchema).min(1),
  })
  .superRefine((job, context) => {
    const seen = new Set<string>()
    job.parts.forEach((part, p) => {
      const list = part.once ? 'once' : 'do'
      ;(part.once ?? part.do ?? []).forEach((step, s) => {
        if (seen.has(step.id)) {
          context.addIssue({
            code: 'custom',
            message: `a second step "${step.id}"`,
            path: ['parts', p, list, s, 'id'],
          })
        }
        seen.add(step.id)
      })
    })
  })

export type Job = z.output<typeof jobSchema>
export type Part = Job['parts'][number]
export type Step = z.output<typeof stepSchema>
export type SliceSpec = z.output<typeof slicesSchema>
export type Parameter = z.output<typeof parameterSchema>

export const stepKinds = ['transfer', 'sql', 'check'] as const
export type StepKind = (typeof stepKinds)[number]

export function stepKind(step: Step): StepKind {
  return step.transfer ? 'transfer' : step.sql ? 'sql' : 'check'
}

/** The steps of a part that are not turned off, in order. */
export function stepsOf(part: Part): Step[] {
  return (part.once ?? part.do ?? []).filter((step) => !step.off)
}

/** The published JSON Schema (draft 2020-12) of a job document. */
export function jobJsonSchema(): Record<string, unknown> {
  return z.toJSONSchema(jobSchema, { io: 'input' }) as Record<string, unknown>
}
