import { stepKindSchema } from './kinds'
import { z } from 'zod'
import { id, numberInAddress, numberInBody } from './common'
import { route } from './route'
import { countsSchema, fileRecordSchema, rowSchema, stateSchema, statementSchema } from './shapes'

/** Shapes and operations of tries. */

export const tryAskSchema = z.object({
  part: numberInBody,
  /** Keys of the rows; empty for a part that runs once. */
  rows: z.array(z.string()).max(20),
  slice: z.string().optional(),
  /** Id of the last step to run. */
  until: z.string().optional(),
  /** Ids of steps to stop after, for a look. */
  holds: z.array(z.string()).default([]),
  parameters: rowSchema.default({}),
})

export const tryBriefSchema = z.object({
  id: z.number(),
  job: z.string(),
  title: z.string(),
  environment: z.string(),
  state: stateSchema,
  by: z.string(),
  createdAt: z.string(),
  endedAt: z.string().nullable(),
  rows: z.array(z.string()),
  slice: z.string().nullable(),
})

const lookSchema = z.object({
  side: z.enum(['in', 'out']),
  title: z.string(),
  columns: z.array(z.object({ name: z.string(), type: z.string().optional() })),
  rows: z.array(z.array(z.string().nullable())),
  /** Rows of the table before and after the step. */
  before: z.number().optional(),
  after: z.number().optional(),
})

const tryStepSchema = z.object({
  position: z.number(),
  step: z.string(),
  title: z.string(),
  kind: stepKindSchema,
  hold: z.boolean(),
  state: stateSchema,
  milliseconds: z.number().nullable(),
  counts: countsSchema.nullable(),
  rejectReasons: z.record(z.string(), z.number()),
  error: z
    .object({
      code: z.string(),
      message: z.string(),
      effect: z.string(),
      advice: z.string(),
      rows: z.array(rowSchema).optional(),
    })
    .nullable(),
  /** What it changed, without the rows. */
  tables: z.array(
    z.object({ title: z.string(), before: z.number().optional(), after: z.number().optional() }),
  ),
})

export const trySchema = tryBriefSchema.extend({
  ask: tryAskSchema,
  parameters: rowSchema,
  zone: z.string(),
  fault: z.string().nullable(),
  /** When what it had written aside was taken away. */
  clearedAt: z.string().nullable(),
  /** The scratch schema, and the connections that lead to it. */
  scratch: z.object({ schema: z.string(), connections: z.array(z.string()), files: z.boolean() }),
  /** Is the document it ran the one that is saved now? */
  saved: z.boolean(),
  loads: z.array(z.object({ key: z.string(), part: z.number(), steps: z.array(tryStepSchema) })),
})

export const tryStepDetailSchema = z.object({
  looks: z.array(lookSchema),
  statements: z.array(statementSchema),
  files: z.array(fileRecordSchema),
  log: z.array(z.string()),
  resolved: z.array(z.object({ path: z.string(), text: z.string() })),
})

export const tryRoutes = {
  startTry: route({
    needs: 'run',
    method: 'post',
    path: '/api/tries',
    summary: 'run a few loads of a document apart from everything real',
    body: tryAskSchema.extend({ text: z.string(), environment: z.string() }),
    response: z.object({ id: z.number() }),
  }),
  tries: route({
    method: 'get',
    path: '/api/jobs/:name/tries',
    summary: 'the newest tries of a job',
    params: z.object({ name: z.string() }),
    response: z.array(tryBriefSchema),
  }),
  try: route({
    method: 'get',
    path: '/api/tries/:id',
    summary: 'a try with its steps',
    params: id,
    response: trySchema,
  }),
  tryDocument: route({
    method: 'get',
    path: '/api/tries/:id/document',
    summary: 'the document that a try ran',
    params: id,
    response: z.object({ text: z.string() }),
  }),
  tryStep: route({
    method: 'get',
    path: '/api/tries/:id/steps/:position',
    summary: 'what went into a step of a try and came out of it',
    params: z.object({ id: numberInAddress, position: numberInAddress }),
    response: tryStepDetailSchema,
  }),
  goOnTry: route({
    of: 'try',
    needs: 'run',
    method: 'post',
    path: '/api/tries/:id/go-on',
    summary: 'go on after a hold',
    params: id,
  }),
  stopTry: route({
    of: 'try',
    needs: 'run',
    method: 'post',
    path: '/api/tries/:id/stop',
    summary: 'end a try where it is',
    params: id,
  }),
  clearTry: route({
    of: 'try',
    needs: 'run',
    method: 'post',
    path: '/api/tries/:id/clear',
    summary: 'take away what a try wrote aside',
    params: id,
  }),
}
