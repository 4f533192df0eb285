import { z } from 'zod'
import { connectionKinds } from '../core/connection/connection'
import { faultSchema, route } from './route'
import { columnSchema, settingsSchema } from './shapes'

/** Shapes and operations of what jobs need: what they use, and bringing in documents that name what is not here. */

const documentsSchema = z
  .array(z.object({ file: z.string(), text: z.string().max(2_000_000) }))
  .min(1)
  .max(500)

const namedAt = z.object({ file: z.string(), line: z.number() })

export const bringInRoutes = {
  jobUses: route({
    method: 'get',
    path: '/api/jobs/:name/uses',
    summary: 'what a job names, reads and writes, and which other jobs meet it there',
    params: z.object({ name: z.string() }),
    query: z.object({ environment: z.string() }),
    response: z.object({
      connections: z.array(z.object({ name: z.string(), kind: z.enum(connectionKinds) })),
      controls: z.array(z.object({ name: z.string(), jobs: z.array(z.string()) })),
      values: z.array(z.string()),
      places: z.array(
        z.object({
          direction: z.enum(['read', 'write']),
          connection: z.string(),
          place: z.string(),
          dataset: z.object({ id: z.number(), name: z.string() }).nullable(),
          at: z.string(),
          run: z.number(),
          rows: z.number(),
          jobs: z.array(z.string()),
        }),
      ),
    }),
  }),
  checkDocuments: route({
    method: 'post',
    path: '/api/jobs-in/check',
    summary: 'mistakes of documents by line, and what they name that is missing here',
    large: true,
    body: z.object({ documents: documentsSchema, environment: z.string() }),
    response: z.object({
      documents: z.array(
        z.object({
          file: z.string(),
          name: z.string().nullable(),
          title: z.string().nullable(),
          /** The version it would become; null where it is saved as it is, or cannot be read. */
          becomes: z.number().nullable(),
          faults: z.array(faultSchema),
        }),
      ),
      missing: z.object({
        connections: z.array(
          z.object({
            name: z.string(),
            kind: z.enum(connectionKinds),
            known: z.boolean(),
            at: z.array(namedAt),
          }),
        ),
        controls: z.array(z.object({ name: z.string(), columns: z.array(z.string()), at: z.array(namedAt) })),
        values: z.array(z.object({ name: z.string(), at: z.array(namedAt) })),
      }),
    }),
  }),
  bringInJobs: route({
    method: 'post',
    path: '/api/jobs-in',
    summary: 'bring documents in, with what was missing',
    large: true,
    body: z.object({
      documents: documentsSchema,
      environment: z.string(),
      given: z.object({
        connections: z
          .record(
            z.string(),
            z.union([
              z.object({ use: z.string() }),
              z.object({ settings: settingsSchema, secret: z.string().optional() }),
            ]),
          )
          .default({}),
        controls: z
          .record(
            z.string(),
            z.union([
              z.object({ use: z.string() }),
              z.object({ columns: z.array(columnSchema), key: z.array(z.string()) }),
            ]),
          )
          .default({}),
        values: z.record(z.string(), z.string()).default({}),
      }),
    }),
    response: z.object({ jobs: z.array(z.object({ name: z.string(), version: z.number() })) }),
  }),
}
