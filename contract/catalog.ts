import { z } from 'zod'
import { id, numberInBody, page } from './common'
import { valueTypes } from '../core/value'
import { tableSchemaSchema } from '../core/catalog/tableSchema'
import { readingFault, thousandSigns } from '../core/files/valueReading'
import { encodings } from '../core/files/encodings'
import { route } from './route'

/** Shapes and operations of connections' content, surveys and the catalog. */

const seenSchema = z.object({ value: z.string(), file: z.string().optional(), row: z.number().optional() })
/** How the values of a column are written, where it is not the plain way. */
export const readingSchema = z.object({
  decimal: z.literal(',').optional(),
  thousands: z.enum(thousandSigns).optional(),
  marks: z.array(z.string()).optional(),
  dates: z.array(z.string()).optional(),
  nulls: z.array(z.string()).optional(),
  yes: z.array(z.string()).optional(),
  no: z.array(z.string()).optional(),
})
export const verdictSchema = z.object({
  type: z.enum(valueTypes),
  reading: readingSchema.optional(),
  asked: z.array(z.object({ type: z.enum(valueTypes), reading: readingSchema })).optional(),
  looked: z.number(),
  blank: z.number(),
  decided: z
    .object({ count: z.number(), classes: z.array(z.string()), first: seenSchema.nullable() })
    .nullable(),
  stricter: z.object({ type: z.enum(valueTypes), fails: z.number() }).nullable(),
  longest: z.number(),
})
export const foundColumnSchema = z.object({
  name: z.string(),
  type: z.enum(valueTypes),
  sourceType: z.string().optional(),
  reading: readingSchema.optional(),
  required: z.boolean().optional(),
  unnamed: z.boolean().optional(),
  comment: z.string().optional(),
  verdict: verdictSchema.optional(),
  inFiles: z.number().optional(),
  fromFolder: z.boolean().optional(),
})
export const formatSchema = z.object({
  kind: z.enum(['csv', 'json', 'ndjson', 'xlsx', 'parquet']),
  delimiter: z.string().optional(),
  quote: z.string().optional(),
  escape: z.literal('\\').optional(),
  widths: z.array(z.number()).optional(),
  ends: z.enum(['lf', 'crlf', 'mixed']).optional(),
  header: z.boolean().optional(),
  heads: z.number().optional(),
  under: z.number().optional(),
  tail: z.number().optional(),
  skip: z.number().optional(),
  comment: z.string().optional(),
  decimal: z.literal(',').optional(),
  encoding: z.enum(encodings).optional(),
  gzip: z.boolean().optional(),
  sheet: z.string().optional(),
  shape: z.enum(['object', 'lists', 'columns', 'keyed', 'values']).optional(),
  records: z.string().optional(),
  inner: z.string().optional(),
})
const datasetKind = z.enum(['table', 'view', 'files', 'service'])
export const foundDatasetSchema = z.object({
  locator: z.string(),
  kind: datasetKind,
  name: z.string(),
  columns: z.array(foundColumnSchema),
  key: z.array(z.string()),
  format: formatSchema.optional(),
  files: z.number().optional(),
  bytes: z.number().optional(),
  rows: z.number().optional(),
  estimated: z.boolean().optional(),
  broken: z.number().optional(),
  comment: z.string().optional(),
})
export const changeSchema = z.object({
  added: z.array(foundColumnSchema),
  gone: z.array(foundColumnSchema),
  changed: z.array(z.object({ name: z.string(), from: z.string(), to: z.string() })),
  renamed: z.array(z.object({ from: z.string(), to: z.string(), likeness: z.number() })),
})

export const entrySchema = z.object({
  kind: z.enum(['folder', 'file', 'schema', 'table', 'view', 'endpoint']),
  name: z.string(),
  path: z.string(),
  size: z.number().nullable(),
  modified: z.string().nullable(),
  rows: z.number().nullable(),
})
export const firstRowsSchema = z.object({
  columns: z.array(z.object({ name: z.string(), type: z.string() })),
  rows: z.array(z.array(z.string().nullable())),
  note: z.string(),
})

export const scopeSchema = z.object({
  include: z.array(z.string()).default([]),
  exclude: z.array(z.string()).default([]),
  prefix: z
    .string()
    .regex(/^[\p{L}\p{N}_.-]*$/u, 'letters, digits, dots, - and _')
    .default(''),
})
export const surveySchema = z.object({
  id: z.number(),
  environment: z.string(),
  connection: z.string(),
  scope: scopeSchema,
  state: z.enum(['waiting', 'running', 'done', 'failed', 'stopped']),
  stopping: z.boolean(),
  by: z.string(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  progress: z
    .object({ seen: z.number(), total: z.number(), reused: z.number(), bytes: z.number() })
    .nullable(),
  strays: z.array(z.object({ path: z.string(), reason: z.string() })),
  same: z.number(),
  fault: z.string().nullable(),
  /** Proposals by kind, and those that nobody has decided. */
  proposals: z.object({ new: z.number(), changed: z.number(), gone: z.number(), open: z.number() }),
})
export const proposalSchema = z.object({
  number: z.number(),
  kind: z.enum(['new', 'changed', 'gone']),
  datasetId: z.number().nullable(),
  /** Name of the known dataset, for one that changed or is gone. */
  known: z.string().nullable(),
  found: foundDatasetSchema.nullable(),
  change: changeSchema.nullable(),
  decided: z.enum(['accepted', 'left']).nullable(),
})

export const datasetBriefSchema = z.object({
  id: z.number(),
  name: z.string(),
  connection: z.string(),
  locator: z.string(),
  kind: datasetKind,
  columns: z.number(),
  unnamed: z.number(),
  files: z.number().nullable(),
  rows: z.number().nullable(),
  estimated: z.boolean(),
  bytes: z.number().nullable(),
  version: z.number(),
  owner: z.string(),
  tags: z.array(z.string()),
  drifted: z.boolean(),
  goneAt: z.string().nullable(),
  surveyedAt: z.string(),
  touchedAt: z.string().nullable(),
})
const facet = z.array(z.object({ name: z.string(), count: z.number() }))
export const columnEditSchema = z.object({
  name: z.string().min(1).optional(),
  type: z.enum(valueTypes).optional(),
  reading: readingSchema
    .superRefine((reading, context) => {
      const fault = readingFault(reading)
      if (fault) context.addIssue({ code: 'custom', message: fault.message, path: [fault.key] })
    })
    .optional(),
  description: z.string().optional(),
})
export const profileSchema = z.object({
  state: z.enum(['waiting', 'running', 'done', 'failed', 'stopped']),
  askedAt: z.string(),
  startedAt: z.string().nullable(),
  endedAt: z.string().nullable(),
  rows: z.number().nullable(),
  fault: z.string().nullable(),
  columns: z.array(
    z.object({
      name: z.string(),
      nulls: z.number(),
      distinct: z.number(),
      estimated: z.literal(true).optional(),
      min: z.string().nullable(),
      max: z.string().nullable(),
      mean: z.number().nullable(),
      deviation: z.number().nullable(),
      common: z.array(z.object({ value: z.string(), count: z.number() })),
      bins: z.array(z.object({ from: z.string(), count: z.number() })),
    }),
  ),
})
export const catalogColumnSchema = foundColumnSchema.extend({
  source: z.string(),
  description: z.string().optional(),
  byHand: z.array(z.enum(['name', 'type', 'reading', 'description'])),
})
export const datasetSchema = z.object({
  id: z.number(),
  environment: z.string(),
  connection: z.string(),
  locator: z.string(),
  kind: datasetKind,
  name: z.string(),
  description: z.string(),
  owner: z.string(),
  tags: z.array(z.string()),
  key: z.array(z.string()),
  keyByHand: z.array(z.string()).nullable(),
  newColumns: z.enum(['accept', 'hold']),
  closed: z.boolean(),
  edits: z.record(z.string(), columnEditSchema),
  columns: z.array(catalogColumnSchema),
  version: z.number(),
  format: formatSchema.nullable(),
  files: z.number().nullable(),
  bytes: z.number().nullable(),
  rows: z.number().nullable(),
  estimated: z.boolean(),
  unnamed: z.number(),
  waits: changeSchema.nullable(),
  goneAt: z.string().nullable(),
  surveyedAt: z.string(),
  profile: profileSchema.nullable(),
  versions: z.array(
    z.object({ version: z.number(), at: z.string(), by: z.string(), columns: z.array(foundColumnSchema) }),
  ),
  uses: z.array(
    z.object({
      job: z.string(),
      direction: z.enum(['read', 'write']),
      at: z.string(),
      run: z.number(),
      rows: z.number(),
    }),
  ),
  days: z.object({
    direction: z.enum(['read', 'write']),
    days: z.array(z.object({ day: z.string(), rows: z.number(), loads: z.number() })),
  }),
  counts: z.array(
    z.object({
      at: z.string(),
      rows: z.number().nullable(),
      bytes: z.number().nullable(),
      files: z.number().nullable(),
    }),
  ),
})

export const oneJobAsk = z.object({
  datasets: z.array(numberInBody).min(1),
  job: z
    .string()
    .regex(/^[a-z][a-z0-9_-]{0,62}$/, 'lower-case letters, digits, - and _, beginning with a letter'),
  title: z.string().min(1),
  control: z
    .string()
    .regex(/^[a-z][a-z0-9_]{0,62}$/, 'lower-case letters, digits and _, beginning with a letter'),
  connection: z.string().regex(/^[a-z][a-z0-9_-]*$/),
  schema: z.string().regex(/^[a-z_][a-z0-9_]*$/, 'lower-case letters, digits and _'),
  write: z.enum(['append', 'replace-all', 'upsert']),
  atOnce: z.int().min(1).max(64).default(4),
  trim: z.boolean().default(false),
})
const oneJobSchema = z.object({
  control: z.object({
    columns: z.array(z.object({ name: z.string(), type: z.enum(valueTypes) })),
    key: z.array(z.string()),
    rows: z.array(z.record(z.string(), z.union([z.string(), z.number(), z.boolean(), z.null()]))),
  }),
  document: z.string(),
  left: z.array(z.object({ name: z.string(), reason: z.string() })),
})

export const catalogRoutes = {
  draftOneJob: route({
    needs: 'look',
    method: 'post',
    path: '/api/catalog/job/draft',
    summary: 'what one job for these datasets would be',
    body: oneJobAsk,
    response: oneJobSchema,
  }),
  makeOneJob: route({
    method: 'post',
    path: '/api/catalog/job',
    summary: 'make one job and its control table for these datasets',
    body: oneJobAsk,
    response: oneJobSchema,
  }),
  browse: route({
    method: 'get',
    path: '/api/connections/:name/content',
    summary: 'what lies at a place of a connection',
    params: z.object({ name: z.string() }),
    query: z.object({ environment: z.string(), path: z.string().default('') }),
    response: z.array(entrySchema),
  }),
  firstRows: route({
    method: 'get',
    path: '/api/connections/:name/rows',
    summary: 'first rows of a file, a table or an address',
    params: z.object({ name: z.string() }),
    query: z.object({ environment: z.string(), path: z.string() }),
    response: firstRowsSchema,
  }),
  startSurvey: route({
    needs: 'run',
    method: 'post',
    path: '/api/surveys',
    summary: 'look through a connection for datasets; changes nothing until it is accepted',
    body: z.object({
      connection: z.string(),
      environment: z.string(),
      scope: scopeSchema,
      unattended: z.boolean().default(false),
    }),
    response: z.object({ survey: z.number() }),
  }),
  surveys: route({
    method: 'get',
    path: '/api/surveys',
    summary: 'surveys, newest first',
    query: z.object({ environment: z.string(), connection: z.string().optional(), limit: page.limit }),
    response: z.array(surveySchema),
  }),
  survey: route({
    method: 'get',
    path: '/api/surveys/:id',
    summary: 'one survey',
    params: id,
    response: surveySchema,
  }),
  surveyProposals: route({
    method: 'get',
    path: '/api/surveys/:id/proposals',
    summary: 'what a survey would change, by page',
    params: id,
    query: z.object({
      ...page,
      kind: z.enum(['new', 'changed', 'gone']).optional(),
      search: z.string().default(''),
    }),
    response: z.object({ total: z.number(), proposals: z.array(proposalSchema) }),
  }),
  decideProposals: route({
    of: 'survey',
    method: 'post',
    path: '/api/surveys/:id/decide',
    summary: 'accept what a survey found, or leave it; all that is open where no numbers are given',
    params: id,
    body: z.object({ numbers: z.array(numberInBody).optional(), decision: z.enum(['accept', 'leave']) }),
    response: z.object({ decided: z.number() }),
  }),
  stopSurvey: route({
    of: 'survey',
    needs: 'run',
    method: 'post',
    path: '/api/surveys/:id/stop',
    summary: 'break a survey off; what it read is kept',
    params: id,
  }),
  resumeSurvey: route({
    of: 'survey',
    needs: 'run',
    method: 'post',
    path: '/api/surveys/:id/resume',
    summary: 'go on with a survey from where it was',
    params: id,
  }),

  datasets: route({
    method: 'get',
    path: '/api/datasets',
    summary: 'datasets of the catalog, by page',
    query: z.object({
      environment: z.string(),
      ...page,
      search: z.string().default(''),
      connection: z.string().optional(),
      tag: z.string().optional(),
      owner: z.string().optional(),
      flag: z.enum(['unnamed', 'drifted', 'gone', 'idle', 'no-key', 'no-owner']).optional(),
      days: z.coerce.number().int().min(1).max(36_500).default(7),
    }),
    response: z.object({ total: z.number(), datasets: z.array(datasetBriefSchema) }),
  }),
  catalogFacets: route({
    method: 'get',
    path: '/api/catalog/facets',
    summary: 'what the catalog can be filtered by',
    query: z.object({ environment: z.string() }),
    response: z.object({ connections: facet, tags: facet, owners: facet, flags: facet }),
  }),
  dataset: route({
    method: 'get',
    path: '/api/datasets/:id',
    summary: 'all that is known of a dataset',
    params: id,
    response: datasetSchema,
  }),
  editDataset: route({
    of: 'dataset',
    method: 'put',
    path: '/api/datasets/:id',
    summary: 'change what a person says of a dataset; it survives every survey',
    params: id,
    body: z.object({
      name: z.string().min(1).optional(),
      description: z.string().optional(),
      owner: z.string().optional(),
      tags: z.array(z.string().min(1)).optional(),
      newColumns: z.enum(['accept', 'hold']).optional(),
      closed: z.boolean().optional(),
      key: z.array(z.string()).nullable().optional(),
      edits: z.record(z.string(), columnEditSchema).optional(),
    }),
  }),
  acceptDrift: route({
    of: 'dataset',
    method: 'post',
    path: '/api/datasets/:id/accept',
    summary: 'take what waits into the schema',
    params: id,
  }),
  datasetRows: route({
    method: 'get',
    path: '/api/datasets/:id/rows',
    summary: 'sample rows',
    params: id,
    query: z.object({ limit: z.coerce.number().int().min(1).max(500).default(50) }),
    response: z.object({ columns: z.array(z.string()), rows: z.array(z.array(z.string().nullable())) }),
  }),
  datasetFiles: route({
    method: 'get',
    path: '/api/datasets/:id/files',
    summary: 'files of a dataset, newest first',
    params: id,
    query: z.object(page),
    response: z.object({
      total: z.number(),
      files: z.array(
        z.object({
          path: z.string(),
          size: z.number(),
          modified: z.string(),
          rows: z.number().nullable(),
          broken: z.number(),
        }),
      ),
    }),
  }),
  profileDataset: route({
    of: 'dataset',
    needs: 'run',
    method: 'post',
    path: '/api/datasets/:id/profile',
    summary: 'have a worker profile every row',
    params: id,
    body: z.object({
      exact: z
        .boolean()
        .default(false)
        .describe('count what would be estimated of files, which takes longer'),
    }),
  }),
  tableSchema: route({
    method: 'get',
    path: '/api/datasets/:id/table-schema',
    summary: 'the schema as Table Schema (Frictionless)',
    params: id,
    response: tableSchemaSchema,
  }),
  takeTableSchema: route({
    of: 'dataset',
    method: 'put',
    path: '/api/datasets/:id/table-schema',
    summary: 'take names, types, descriptions and key from a Table Schema',
    params: id,
    body: tableSchemaSchema,
    response: z.object({ left: z.array(z.string()) }),
  }),
} as const
