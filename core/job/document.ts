import { z } from 'zod'
import { valueTypes } from '../value'
import { field, fieldMeta, scalar } from '../field/field'
import { slicesFault } from '../slice/slices'
import { slicesSchema } from '../slice/spec'
import { rosterSchema } from './rosters'
import { identifier } from './identifier'
import { startFault, startSchema } from './starts'
import { stepSchema, whenSchema, type Step } from './steps'
import { lengthSchema } from '../schedule/duration'
import { waitFault, waitSchema } from './waits'

export const parameterSchema = z
  .strictObject({
    type: z.enum(valueTypes).default('text').describe('type of its value'),
    default: scalar.optional().describe('used where no value is given'),
    required: z.boolean().default(false).describe('a run cannot start without a value'),
    one_of: z.array(scalar).optional().describe('the values it may have'),
    try: scalar.optional().describe('used in tries only, never in a real run'),
    note: z.string().optional().describe('for who gives the value'),
  })
  .describe('a value given at the start of a run')

/** `08:00`, or `PT2H`. */
const dueSchema = z
  .string()
  .regex(
    /^([01]\d|2[0-3]):[0-5]\d$|^P(?!$)(\d+D)?(T(?=\d)(\d+H)?(\d+M)?)?$/,
    'a time such as 08:00, or a duration such as PT2H',
  )

const arrivesSchema = z
  .strictObject({
    by: z
      .string()
      .optional()
      .describe(
        'column of the roster that says when: a time such as 05:30, or an ISO 8601 duration after the slice is over',
      ),
    missing_after: z
      .string()
      .regex(/^P(?!$)(\d+D)?(T(?=\d)(\d+H)?(\d+M)?)?$/, 'a duration such as PT12H')
      .default('P1D')
      .describe('ISO 8601 duration after it was due from which on a file counts as missing'),
  })
  .describe('when the files of a row are to come')

export const eachSchema = z
  .strictObject({
    roster: rosterSchema.describe('the rows that the part loops over'),
    at_once: field(z.int().min(1).max(64), { label: 'at once' })
      .default(4)
      .describe('loads of the part that run at the same time'),
    slices: z
      .boolean()
      .default(true)
      .describe('for each slice, too; without it once for each row, whatever the slices'),
    arrives: field(arrivesSchema, { rare: true })
      .optional()
      .describe('when the files of a row are to come; by their habit where it is left out'),
    waits: field(z.array(waitSchema), { rare: true })
      .optional()
      .describe('what each load waits for before it begins'),
    waits_at_most: field(lengthSchema('PT1M', 'P31D'), { label: 'waits at most', rare: true, usual: 'PT6H' })
      .optional()
      .describe(
        'ISO 8601 duration after which a load that still waits fails; it waits however long where it is left out',
      ),
  })
  .describe('once for each row of a roster, and for each slice')

const partId = identifier.optional().describe('names the part, where others wait for it or speak of it')
const partOrderShape = {
  when: whenSchema,
  hold: field(z.boolean(), { rare: true }).default(false).describe('the run stops after it for a look'),
}
/** When a part begins, as fields, without what it waits for. */
export const partOrderSchema = z.strictObject({ id: partId, ...partOrderShape })

const partSchema = z
  .strictObject({
    id: partId,
    title: z.string().optional().describe('what it is called where it is read'),
    after: field(z.array(identifier), { names: 'part', rare: true })
      .optional()
      .describe('the parts that it waits for; the one before it where it is left out'),
    ...partOrderShape,
    once: z.array(stepSchema).min(1).optional().describe('steps that run once'),
    each: eachSchema.optional(),
    do: z.array(stepSchema).min(1).optional().describe('steps that run for each row and slice'),
  })
  .refine((part) => (part.once === undefined) !== (part.each === undefined), {
    message: 'a part is once, or each',
  })
  .refine((part) => (part.each === undefined) === (part.do === undefined), { message: 'each goes with do' })

export const jobSchema = z
  .strictObject({
    mattock: z.literal('job/1').describe('the language of the document'),
    name: identifier.describe('names the job; it never changes'),
    title: z.string().min(1).describe('what it is called where it is read'),
    note: z.string().optional().describe('for the reader of the job'),
    tags: z.array(z.string()).default([]).describe('words to find it by'),
    parameters: z
      .record(identifier, parameterSchema)
      .default({})
      .describe('values given at the start of a run'),
    slices: slicesSchema.optional(),
    at_once_runs: field(z.enum(['beside', 'wait', 'refuse']), { label: 'a second run' })
      .default('beside')
      .describe(
        'what a second run in the same environment does while one goes on: it runs beside it, waits, or is refused',
      ),
    due: field(dueSchema, { usual: '08:00' })
      .optional()
      .describe('by when a run is to be done: a time of the clock after it began, or an ISO 8601 duration'),
    starts: z.array(startSchema).default([]).describe('what makes a run begin by itself'),
    parts: z.array(partSchema).min(1).describe('what is done, in order'),
  })
  .superRefine((job, context) => {
    // what begins by itself must be able to cut its slices: nobody looks when it does not
    const wrong = job.starts.length > 0 && job.slices && slicesFault(job.slices)
    if (wrong) context.addIssue({ code: 'custom', message: wrong.message, path: wrong.path.split('.') })
    job.parts.forEach(({ each }, part) => {
      if (each?.waits_at_most !== undefined && !each.waits?.length)
        context.addIssue({
          code: 'custom',
          message: 'nothing is waited for; say what under waits, or leave this out',
          path: ['parts', part, 'each', 'waits_at_most'],
        })
      each?.waits?.forEach((wait, at) => {
        const fault = waitFault(wait, job.name)
        const path = ['parts', part, 'each', 'waits', at]
        if (fault)
          context.addIssue({
            code: 'custom',
            message: fault.message,
            path: [...path, ...fault.path.split('.')],
          })
        else if (!job.slices || each.slices === false)
          context.addIssue({ code: 'custom', message: 'only what goes through slices waits', path })
      })
    })
    const startIds = new Set<string>()
    job.starts.forEach((start, at) => {
      if (startIds.has(start.id))
        context.addIssue({
          code: 'custom',
          message: `a second start "${start.id}"`,
          path: ['starts', at, 'id'],
        })
      startIds.add(start.id)
      const fault = startFault(start, job)
      if (fault)
        context.addIssue({
          code: 'custom',
          message: fault.message,
          path: ['starts', at, ...fault.path.split('.')],
        })
      for (const name of Object.keys(start.parameters ?? {}))
        if (!(name in job.parameters))
          context.addIssue({
            code: 'custom',
            message: `the job has no parameter "${name}"`,
            path: ['starts', at, 'parameters', name],
          })
    })
    const seen = new Set<string>()
    const parts = new Set<string>()
    job.parts.forEach(({ id }, p) => {
      if (id !== undefined && parts.has(id))
        context.addIssue({ code: 'custom', message: `a second part "${id}"`, path: ['parts', p, 'id'] })
      if (id !== undefined) parts.add(id)
    })
    job.parts.forEach((part, p) => {
      ;(part.once ?? part.do ?? []).forEach((step, s) => {
        if (seen.has(step.id)) {
          context.addIssue({
            code: 'custom',
            message: `a second step "${step.id}"`,
            path: ['parts', p, part.once ? 'once' : 'do', s, 'id'],
          })
        }
        seen.add(step.id)
      })
    })
  })

export type Job = z.output<typeof jobSchema>
export type Part = Job['parts'][number]
export type Parameter = z.output<typeof parameterSchema>

/** The key of a part's list of steps. */
export const listOf = (part: Pick<Part, 'once'>): 'once' | 'do' => (part.once ? 'once' : 'do')

/** All steps of a part, in order. */
export const allSteps = (part: Part): readonly Step[] => part.once ?? part.do ?? []

/** The steps of a part that are not turned off, in order. */
/** What a part is called where something is kept of it: its id, or `#` and its number. */
export const partName = ({ id }: Part, index: number): string => id ?? `#${index}`

export const activeSteps = (part: Part): Step[] => allSteps(part).filter((step) => !step.off)

/** Path of a step in the document: `parts.0.do.1`. */
export const stepPath = (job: Job, part: number, step: string): string => {
  const at = job.parts[part]!
  return `parts.${part}.${listOf(at)}.${allSteps(at).findIndex(({ id }) => id === step)}`
}

/**
 * The published JSON Schema (draft 2020-12) of a job document. With `marks`, texts say in `x-names` which things they
 * name, for completion.
 */
export function jobJsonSchema({ marks = false }: { marks?: boolean } = {}): Record<string, unknown> {
  return z.toJSONSchema(jobSchema, {
    io: 'input',
    override: ({ zodSchema, jsonSchema }) => {
      const names = marks ? fieldMeta.get(zodSchema as unknown as z.ZodType)?.names : undefined
      if (names !== undefined) Object.assign(jsonSchema, { 'x-names': names })
    },
  }) as Record<string, unknown>
}
