import { z } from 'zod'
import { countInBody, id, numberInAddress, numberInBody, page } from './common'
import { findingCodes } from '../core/plan/types'
import { route } from './route'
import { levelSchema, rowSchema, slotSchema } from './shapes'

/** Shapes and operations of plans. */

export const pickSchema = z
  .object({
    part: z.string().describe('id of the part, or # and its number from 0'),
    row: z.string().describe('key of the row'),
    from: z.iso.datetime({ offset: true }),
    to: z.iso.datetime({ offset: true }).describe('not part of it'),
  })
  .meta({ id: 'Pick', description: 'a stretch of data time of one row' })

const planAsk = z.object({
  job: z.string(),
  /** The newest where it is left out. */
  version: numberInBody.optional(),
  environment: z.string(),
  parameters: rowSchema.default({}),
  only: z.string().optional(),
  span: z.string().optional(),
  picks: z
    .array(pickSchema)
    .min(1)
    .max(20_000)
    .optional()
    .describe('stretches of rows in place of a span; the loads within them are planned'),
  /** Control tables as they were at this time. */
  controlAt: z.iso.datetime({ offset: true }).optional(),
})

export const slotChangeSchema = z.object({
  step: z.string(),
  path: z.string(),
  label: z.string(),
  before: z.string().nullable(),
  after: z.string().nullable(),
})
export const textChangeSchema = slotChangeSchema.extend({ count: z.number() })
const loadChangeSchema = z.object({ key: z.string(), texts: z.array(slotChangeSchema) })
const comparisonDocumentSchema = z.object({
  with: z.number(),
  added: z.array(z.string()),
  gone: z.array(z.string()),
  changed: z.array(loadChangeSchema),
})

export const findingSchema = z.object({
  code: z.enum(findingCodes),
  level: levelSchema,
  message: z.string(),
  where: z.record(z.string(), z.unknown()),
  mend: z
    .object({
      label: z.string(),
      open: z.enum(['control-row', 'job', 'connection']),
      name: z.string(),
      row: z.string().optional(),
    })
    .optional(),
  loads: z.array(z.number()),
})
export const forecastSchema = z.object({
  seconds: z.number(),
  low: z.number(),
  high: z.number(),
  known: z.number(),
  limits: z
    .array(
      z.object({
        kind: z.enum(['at-once', 'connection', 'workers', 'long-load']),
        name: z.string(),
        share: z.number(),
      }),
    )
    .default([]),
  running: z.array(z.number()).default([]),
  draws: z.number().default(1),
})
export const planColumnSchema = z.object({
  id: z.string(),
  label: z.string(),
  kind: z.enum(['row', 'slice', 'slot']),
  slot: z.number().optional(),
})
export const planPartSchema = z.object({
  index: z.number(),
  each: z.boolean(),
  atOnce: z.number(),
  rows: z.number(),
  slices: z.number(),
  steps: z.array(
    z.object({ id: z.string(), title: z.string(), kind: z.string(), slots: z.array(slotSchema) }),
  ),
  differing: z.object({
    columns: z.array(planColumnSchema),
    same: z.array(z.object({ label: z.string(), text: z.string() })),
  }),
})
export const planSchema = z.object({
  id: z.number(),
  job: z.string(),
  title: z.string(),
  version: z.number(),
  environment: z.string(),
  createdAt: z.string(),
  by: z.string(),
  parameters: rowSchema,
  only: z.string().nullable(),
  span: z.string().nullable(),
  picks: z
    .array(pickSchema)
    .nullable()
    .describe('the stretches of rows that it was made of; null where it is of all rows'),
  loads: z.number(),
  left: z.number(),
  parts: z.array(planPartSchema),
  findings: z.array(findingSchema),
  forecast: forecastSchema.nullable(),
  /** Findings of level stop that concern loads not left out. */
  stops: z.number(),
})
export const planLoadSchema = z.object({
  number: z.number(),
  part: z.number(),
  key: z.string(),
  each: z.boolean(),
  cells: z.array(z.string()),
  files: z.object({ names: z.array(z.string()), bytes: z.number() }).nullable(),
  codes: z.array(z.string()),
  left: z.boolean(),
})

export const planLoadDetailSchema = z.object({
  number: z.number(),
  part: z.number(),
  key: z.string(),
  row: rowSchema.nullable(),
  slice: z.object({ from: z.string(), to: z.string(), label: z.string() }).nullable(),
  left: z.boolean(),
  files: z.object({ names: z.array(z.string()), bytes: z.number() }).nullable(),
  steps: z.array(
    z.object({
      id: z.string(),
      title: z.string(),
      kind: z.string(),
      texts: z.array(
        z.object({
          path: z.string(),
          label: z.string(),
          written: z.string(),
          resolved: z.string().nullable(),
          values: z.array(z.unknown()).nullable(),
          later: z.boolean(),
        }),
      ),
    }),
  ),
  findings: z.array(z.object({ code: z.string(), level: levelSchema, message: z.string() })),
})

export const effectSchema = z.object({
  added: z.number(),
  gone: z.number(),
  changed: z.number(),
  same: z.number(),
  addedKeys: z.array(z.string()),
  goneKeys: z.array(z.string()),
  changes: z.array(loadChangeSchema),
  texts: z.array(textChangeSchema),
  come: z.array(findingSchema),
  go: z.array(findingSchema),
})
const spanSchema = z.object({ from: z.string(), to: z.string() })

export const jobEffectSchema = z.object({
  job: z.string(),
  title: z.string(),
  slices: z.string().nullable(),
  effect: effectSchema.nullable(),
  fault: z.string().nullable(),
  cut: z
    .object({
      loaded: z.number().describe('slices that were loaded'),
      stay: z.number().describe('of them, those that are slices of the new rule, too'),
      parted: z.number().describe('of them, those made up of whole slices of the new rule'),
      cut: z.number().describe('of them, those that a slice of the new rule cuts across'),
      outside: z.number().describe('of them, those that no slice of the new rule touches'),
      fresh: z
        .number()
        .nullable()
        .describe('slices of the new rule that are over and were not loaded; null where they are too many'),
      example: z
        .object({
          loaded: spanSchema.describe('it, as it was loaded'),
          meets: z.array(spanSchema).describe('slices of the new rule'),
        })
        .nullable()
        .describe('the first that is cut across'),
    })
    .nullable()
    .describe('what a changed rule for slices makes of those that were loaded'),
})

/** The shapes of product.md §11 that scripts rely on. */
export const planDocumentSchema = z.object({
  plan: z.number(),
  job: z.string(),
  environment: z.string(),
  loads: z.array(
    z.object({
      key: z.string(),
      row: rowSchema.nullable(),
      slice: z.object({ from: z.string(), to: z.string() }).nullable(),
      steps: z.array(
        z.object({
          id: z.string(),
          kind: z.string(),
          resolved: z.record(z.string(), z.unknown()),
          after: z.array(z.string()),
        }),
      ),
    }),
  ),
  once: z.array(
    z.object({
      id: z.string(),
      kind: z.string(),
      resolved: z.record(z.string(), z.unknown()),
      after: z.array(z.string()),
    }),
  ),
  findings: z.array(
    z.object({
      code: z.string(),
      level: levelSchema,
      message: z.string(),
      where: z.record(z.string(), z.unknown()),
    }),
  ),
  forecast: forecastSchema.nullable(),
  comparison: comparisonDocumentSchema.optional(),
})

export const planRoutes = {
  makePlan: route({
    needs: 'look',
    method: 'post',
    path: '/api/plans',
    summary: 'work out all loads of a job',
    body: planAsk,
    response: z.object({ id: z.number() }),
  }),
  plan: route({
    method: 'get',
    path: '/api/plans/:id',
    summary: 'a plan without its loads',
    params: id,
    response: planSchema,
  }),
  planLoads: route({
    method: 'get',
    path: '/api/plans/:id/loads',
    summary: 'loads of a plan, by page',
    params: id,
    query: z.object({
      ...page,
      code: z.string().optional(),
      search: z.string().optional(),
      left: z.enum(['yes', 'no']).optional(),
    }),
    response: z.object({ total: z.number(), loads: z.array(planLoadSchema) }),
  }),
  leaveOut: route({
    of: 'plan',
    needs: 'run',
    method: 'post',
    path: '/api/plans/:id/left',
    summary: 'leave loads out, or take them in again',
    params: id,
    body: z.object({
      numbers: z.array(numberInBody).optional(),
      code: z.string().optional(),
      search: z.string().optional(),
      left: z.boolean(),
    }),
    response: z.object({ changed: z.number() }),
  }),
  planDocument: route({
    method: 'get',
    path: '/api/plans/:id/document',
    summary: 'a whole plan as one document; compare: held against another plan',
    params: id,
    query: z.object({ compare: numberInAddress.optional() }),
    response: planDocumentSchema,
  }),
  planLoad: route({
    method: 'get',
    path: '/api/plans/:id/loads/:number',
    summary: 'one load of a plan with all it resolves to',
    params: z.object({ id: numberInAddress, number: numberInAddress }),
    response: planLoadDetailSchema,
  }),
  otherPlans: route({
    method: 'get',
    path: '/api/plans/:id/others',
    summary: 'other plans of the same job, newest first',
    params: id,
    response: z.array(
      z.object({
        id: z.number(),
        version: z.number(),
        environment: z.string(),
        createdAt: z.string(),
        by: z.string(),
        span: z.string().nullable(),
        only: z.string().nullable(),
        loads: z.number(),
      }),
    ),
  }),
  comparePlans: route({
    method: 'get',
    path: '/api/plans/:id/compare',
    summary: 'loads added, gone and changed against another plan',
    params: id,
    query: z.object({
      ...page,
      with: numberInAddress,
      kind: z.enum(['added', 'gone', 'changed']).default('changed'),
    }),
    response: z.object({
      added: z.number(),
      gone: z.number(),
      changed: z.number(),
      same: z.number(),
      texts: z.array(textChangeSchema),
      changes: z.array(loadChangeSchema.extend({ number: z.number() })),
    }),
  }),
  forecastPlan: route({
    needs: 'look',
    method: 'post',
    path: '/api/plans/:id/forecast',
    summary: 'how long a plan takes as things are, and with other caps',
    params: id,
    body: z.object({
      others: z
        .array(
          z.object({
            atOnce: z.int().min(1).max(1000).optional(),
            workers: z.int().min(1).max(10_000).optional(),
            connections: z.record(z.string(), countInBody.nullable()).optional(),
          }),
        )
        .max(8)
        .default([]),
    }),
    response: z.object({
      caps: z.object({
        atOnce: z.record(z.string(), z.number()),
        workers: z.number(),
        connections: z.record(z.string(), z.number().nullable()),
      }),
      used: z.array(z.string()),
      asIs: forecastSchema.nullable(),
      others: z.array(forecastSchema.nullable()),
    }),
  }),
  planFile: route({
    produces: ['text/csv', 'application/json', 'application/sarif+json'],
    method: 'get',
    path: '/api/plans/:id/file',
    summary: 'a plan as a file: its loads as CSV, or its findings as SARIF',
    params: id,
    query: z.object({ as: z.enum(['csv', 'sarif', 'json']) }),
  }),
}
