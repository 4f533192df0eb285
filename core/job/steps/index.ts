import { steps } from './registry'
import { z } from 'zod'
import { field, textFieldsOf, type TextField } from '../../field/field'
import { identifier } from '../identifier'
import { givenKind, kindsIn, optionalKinds, type Given, type Specs } from '../kinds'
import type { StepDefinition } from './definition'

export type StepKind = keyof typeof steps
export type StepSpec<K extends StepKind = StepKind> = Specs<typeof steps>[K]
export const stepKinds = Object.keys(steps) as [StepKind, ...StepKind[]]

/** The definition of a kind, as its readers see it. */
export const stepDefinition = (kind: StepKind): StepDefinition => steps[kind] as unknown as StepDefinition

/** An ISO 8601 duration of hours, minutes and seconds. */
const duration = z
  .string()
  .regex(
    /^PT(?=\d)(\d+H)?(\d+M)?(\d+(\.\d+)?S)?$/,
    'an ISO 8601 duration of hours, minutes and seconds, such as PT10M',
  )

/** On which end of those it waits for something begins. */
export const whenSchema = field(z.string().min(1), { rare: true, usual: 'done' })
  .default('done')
  .describe(
    'done (all it waits for are), failed (one of them is), ended (whatever became of them), or an expression',
  )

/** When a step begins, and what is done about it where it does not end well. */
const orderShape = {
  after: field(z.array(identifier), { names: 'step', rare: true })
    .optional()
    .describe('the steps of its part that it waits for; the one before it where it is left out'),
  when: whenSchema,
  hold: field(z.boolean(), { rare: true }).default(false).describe('the load stops after it for a look'),
  tries: field(z.int().min(1).max(20), { rare: true, usual: '5' })
    .optional()
    .describe('times that it is tried where a fault may pass'),
  pause: field(duration, { rare: true, usual: 'PT0.5S' })
    .optional()
    .describe('before it is tried again; then 4, 16 and 30 times as long'),
  timeout: field(duration, { rare: true, usual: 'as long as a load may take' })
    .optional()
    .describe('how long it may take before it is broken off'),
}
/** The same as fields, without what it waits for. */
export const stepOrderSchema = z.strictObject(orderShape).omit({ after: true })

export const stepSchema = z
  .strictObject({
    id: identifier.describe('names the step within the job'),
    title: z.string().optional().describe('what it is called where it is read'),
    note: z.string().optional().describe('for the reader of the job'),
    off: z.boolean().default(false).describe('turned off: it is not run'),
    ...orderShape,
    ...optionalKinds(steps),
  })
  .refine((step) => kindsIn(steps, step).length === 1, {
    message: `a step does one thing: ${stepKinds.slice(0, -1).join(', ')} or ${stepKinds.at(-1)}`,
  })
export type Step = z.output<typeof stepSchema>

/** Which kind of step it is, and what it is given. */
export const stepOf = (step: Step): Given<typeof steps> => givenKind(steps, step)
export const stepKind = (step: Step): StepKind => stepOf(step).kind

/** The texts of each kind of step, by their path below it. */
const texts = new Map<string, readonly TextField[]>()

/** The texts with expressions that a step of a kind may hold. */
export function textsOfKind(kind: StepKind): readonly TextField[] {
  let found = texts.get(kind)
  if (!found) texts.set(kind, (found = textFieldsOf(steps[kind].schema)))
  return found
}

/** Done a second time, does it bring what it brought before once more? */
export function bringsTwice(step: Step): boolean {
  const { kind, spec } = stepOf(step)
  return stepDefinition(kind).bringsTwice?.(spec) ?? false
}

/** Does a step follow the slice, though no text of it names the slice? */
export function followsSlice(step: Step): boolean {
  const { kind, spec } = stepOf(step)
  return stepDefinition(kind).followsSlice?.(spec) ?? false
}

export { steps } from './registry'
