import { z } from 'zod'
import { decisionKinds } from '../core/decisionKinds'
import { inEnvironment } from './common'
import { route } from './route'
import { controlRowsSchema, stateSchema } from './shapes'

const nowSchema = z.object({
  runs: z.array(
    z.object({
      id: z.number(),
      title: z.string(),
      environment: z.string(),
      done: z.number(),
      running: z.number(),
      failed: z.number(),
      total: z.number(),
      left: z.number().nullable(),
    }),
  ),
  workers: z.object({ count: z.number(), idle: z.number(), capacity: z.number(), busy: z.number() }),
  /** Work that goes on behind the pages, such as a demo's history. */
  background: z.object({ label: z.string(), done: z.number(), total: z.number() }).nullable(),
})
const morningSchema = z.object({
  at: z.string(),
  since: z.string(),
  done: z.number(),
  failed: z.number(),
  rejected: z.number(),
  decisions: z.array(
    z.object({
      kind: z
        .enum(decisionKinds)
        .describe(
          'what kind of thing it is: stuck, loads that wait for what may never come; silence, rows far from usual; file, files that are late',
        ),
      key: z
        .string()
        .describe('what makes it this one and no other; what people did about it is kept by this'),
      quietUntil: z.string().nullable().describe('nobody is to see it before (ISO 8601)'),
      givenTo: z.string().nullable().describe('who sees to it'),
      notes: z
        .array(z.object({ by: z.string(), text: z.string(), at: z.string() }))
        .describe('what was said and done about it, in order'),
      title: z.string(),
      text: z.string(),
      count: z.number(),
      run: z.number().nullable(),
      runs: z.array(z.number()).describe('all runs that it is about, the newest first'),
      plan: z.number().nullable().optional().describe('the plan that says why it could not begin'),
      job: z.string().nullable(),
      connection: z.string().nullable(),
      controls: controlRowsSchema.describe('rows of control tables of the load that failed, where it is one'),
      latest: z.string(),
    }),
  ),
  jobs: z.array(
    z.object({
      job: z.string(),
      title: z.string(),
      runs: z.array(
        z.object({
          id: z.number(),
          state: stateSchema,
          from: z.string(),
          to: z.string().nullable(),
          rows: z.number(),
          failed: z.number(),
          loads: z.number(),
        }),
      ),
      foreseen: z
        .array(
          z.object({
            at: z.string().describe('when its start comes (ISO 8601)'),
            ends: z.string().describe('when it will likely be done'),
            due: z.string().nullable(),
            late: z.boolean().describe('it will likely be done only after it is due'),
            unknown: z.boolean().describe('nothing is known of how long it takes'),
            stuck: z.string().nullable().describe('what it waits for, where nothing brings that by itself'),
            givesUp: z.string().nullable().describe('when loads of it wait no longer for that, and fail'),
          }),
        )
        .describe('runs that will begin by themselves'),
    }),
  ),
  people: z.array(z.string()).describe('to whom something may be given'),
  until: z.string().describe('up to when it looks ahead (ISO 8601)'),
  ahead: z.boolean().describe('what is to come is in it, and what will be late by it'),
})

/** What runs now, and what needs a decision. */
export const watchRoutes = {
  now: route({ method: 'get', path: '/api/now', summary: 'what is running now', response: nowSchema }),
  morning: route({
    method: 'get',
    path: '/api/morning',
    summary: 'what needs a decision, what runs, what ran',
    query: inEnvironment.extend({
      ahead: z.stringbool().default(true).describe('with what is to come, which may take seconds'),
    }),
    response: morningSchema,
  }),
  keepMatter: route({
    needs: 'run',
    method: 'post',
    path: '/api/matters',
    summary:
      'say what is done about something that needs a decision: a note, to whom it is given, until when it is quiet',
    body: z.object({
      environment: z.string(),
      key: z.string().max(2000),
      title: z.string().max(2000),
      quietUntil: z.iso
        .datetime({ offset: true })
        .nullable()
        .optional()
        .describe('null: no longer; left out: as it is'),
      givenTo: z.string().max(200).nullable().optional().describe('null: to nobody; left out: as it is'),
      note: z.string().max(2000).optional(),
    }),
    response: z.object({}),
  }),
} as const
