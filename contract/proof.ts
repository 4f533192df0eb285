import { z } from 'zod'
import { id } from './common'
import { route } from './route'
import { balanceSchema, loadDetailSchema, rowSchema, stateSchema } from './shapes'

/** What proves a run: the document of what it did, and a second look at what it left. */

const loadProof = z.object({
  key: z.string(),
  holds: z.boolean().describe('all is as it was left'),
  written: z.number(),
  found: z
    .number()
    .nullable()
    .describe('rows that are there still as they were left; null where nothing was counted'),
  why: z.string().nullable().describe('what is no longer as it was left'),
})

export const proofRoutes = {
  verifyRun: route({
    needs: 'run',
    of: 'run',
    method: 'get',
    path: '/api/runs/:id/verify',
    summary: 'look again at what a run left: markers, rows, files',
    params: id,
    query: z.object({
      only: z
        .enum(['all', 'broken'])
        .default('all')
        .describe('broken: only loads that do not hold are listed'),
    }),
    response: z.object({
      run: z.number(),
      loads: z.array(loadProof),
      counted: z
        .object({ loads: z.number(), broken: z.number(), written: z.number(), found: z.number() })
        .describe('all loads together, listed or not'),
      holds: z.boolean(),
    }),
  }),
  proveRun: route({
    method: 'get',
    path: '/api/runs/:id/proof',
    summary: 'the proof of a run: what was to be done, by whose word, and what every load did',
    params: id,
    response: z.object({
      mattock: z.literal('proof/1').describe('what the document is'),
      made: z.object({ at: z.string(), by: z.string() }),
      run: z.object({
        id: z.number(),
        job: z.string(),
        title: z.string(),
        environment: z.string(),
        state: stateSchema,
        cause: z.string(),
        rerunOf: z.number().nullable(),
        createdAt: z.string(),
        startedAt: z.string().nullable(),
        endedAt: z.string().nullable(),
      }),
      definition: z.object({
        version: z.number(),
        sha256: z.string().describe('of the text, in UTF-8'),
        text: z.string(),
      }),
      plan: z.object({
        id: z.number(),
        parameters: rowSchema,
        only: z.string().nullable(),
        span: z.string().nullable(),
        createdAt: z.string(),
      }),
      people: z
        .array(z.object({ who: z.string(), did: z.string(), at: z.string() }))
        .describe('who did what for it to run, in the order of time'),
      balance: balanceSchema,
      loads: z.array(loadDetailSchema),
    }),
  }),
} as const
