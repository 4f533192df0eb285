import { z } from 'zod'
import { inEnvironment, name } from './common'
import { cellRulesSchema } from '../core/document/control'
import { jobEffectSchema } from './plans'
import { route } from './route'
import { columnSchema, rowSchema } from './shapes'

/** Shapes and operations of control tables. */

export const controlListSchema = z.object({
  name: z.string(),
  title: z.string(),
  where: z.string(),
  rows: z.number().nullable().describe('rows it has; null where the table or its database does not answer'),
  jobs: z.array(z.string()),
  changedAt: z.string().nullable(),
  changedBy: z.string().nullable(),
})
export const controlSchema = z.object({
  name: z.string(),
  title: z.string(),
  where: z.object({ connection: z.string().nullable(), schema: z.string(), table: z.string() }),
  columns: z.array(columnSchema),
  key: z.array(z.string()),
  rows: z.array(rowSchema),
  versions: z.array(z.string()),
  rules: z.record(z.string(), cellRulesSchema),
  known: z.object({ connection: z.array(z.string()), dataset: z.array(z.string()) }),
  jobs: z.array(z.string()),
})
export const controlEditSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('change'), key: rowSchema, version: z.string(), set: rowSchema }),
  z.object({ kind: z.literal('add'), set: rowSchema }),
  z.object({ kind: z.literal('remove'), key: rowSchema, version: z.string() }),
])
export const controlSavedSchema = z.object({
  saved: z.number(),
  conflicts: z.array(z.object({ key: rowSchema, now: rowSchema.nullable(), version: z.string().nullable() })),
})
export const controlChangeSchema = z.object({
  id: z.number(),
  at: z.string(),
  by: z.string(),
  rowKey: z.string(),
  before: rowSchema.nullable(),
  after: rowSchema.nullable(),
})

/** Rows that are taken at once. */
const mostRows = 10_000
const tooMany = `at most ${mostRows.toLocaleString('en')} rows are taken at once; send them in several parts`

export const controlRoutes = {
  controlTables: route({
    method: 'get',
    path: '/api/control',
    summary: 'all control tables',
    query: inEnvironment,
    response: z.array(controlListSchema),
  }),
  controlTable: route({
    method: 'get',
    path: '/api/control/:name',
    summary: 'the rows of a control table',
    params: name,
    query: inEnvironment,
    response: controlSchema,
  }),
  editControl: route({
    method: 'post',
    path: '/api/control/:name/edits',
    summary: 'save edits: all of them, or none where a row was changed meanwhile',
    params: name,
    query: inEnvironment,
    large: true,
    body: z.object({ edits: z.array(controlEditSchema).max(mostRows, tooMany) }),
    response: controlSavedSchema,
  }),
  controlHistory: route({
    method: 'get',
    path: '/api/control/:name/history',
    summary: 'changes, newest first; of one row, or one of its columns',
    params: name,
    query: z.object({ row: z.string().optional(), column: z.string().optional() }),
    response: z.array(controlChangeSchema),
  }),
  controlEffect: route({
    needs: 'look',
    method: 'post',
    path: '/api/control/:name/effect',
    summary: 'what edits would do to the loads of every job that reads the table',
    params: name,
    query: inEnvironment,
    large: true,
    body: z.object({ edits: z.array(controlEditSchema).max(mostRows, tooMany) }),
    response: z.array(jobEffectSchema),
  }),
  createControl: route({
    method: 'post',
    path: '/api/control',
    summary: 'make a control table with its first rows',
    large: true,
    body: z.object({
      name: z.string(),
      title: z.string().min(1),
      columns: z.array(columnSchema).min(1),
      key: z.array(z.string()).min(1),
      rows: z.array(rowSchema).max(mostRows, tooMany).default([]),
      rules: z.record(z.string(), cellRulesSchema).default({}),
    }),
  }),
  adoptControl: route({
    method: 'post',
    path: '/api/control/adopt',
    summary: 'take a table of a Postgres database as a control table',
    query: inEnvironment,
    body: z.object({
      name: z.string(),
      title: z.string().min(1),
      connection: z.string(),
      schema: z.string(),
      table: z.string(),
    }),
  }),
  changeControl: route({
    method: 'put',
    path: '/api/control/:name',
    summary: 'title and rules of a control table',
    params: name,
    query: inEnvironment,
    body: z.object({ title: z.string().min(1), rules: z.record(z.string(), cellRulesSchema) }),
  }),
  addControlColumn: route({
    method: 'post',
    path: '/api/control/:name/columns',
    summary: 'add a column',
    params: name,
    query: inEnvironment,
    body: columnSchema,
  }),
  forgetControl: route({
    method: 'delete',
    path: '/api/control/:name',
    summary: 'let a control table go; the table itself stays',
    params: name,
  }),
}
