import { z } from 'zod'
import { countInBody, id, inEnvironment, moment, name, numberInAddress, numberInBody, page } from './common'
import { connectionKinds } from '../core/connection/connection'
import { needsSchema } from '../core/connection/needs'
import { accessRoutes } from './access'
import { alertRoutes } from './alerts'
import { arrivalRoutes } from './arrivals'
import { bringInRoutes } from './bringIn'
import { catalogRoutes } from './catalog'
import { coverageRoutes, waitsSchema } from './coverage'
import { controlRoutes } from './control'
import { markRoutes } from './marks'
import { mendingRoutes } from './mending'
import { mappingSchema } from './mapping'
import { keepingRoutes } from './keeping'
import { runControlRoutes } from './runControls'
import { stepKindSchema } from './kinds'
import { jobEffectSchema, planRoutes } from './plans'
import { proofRoutes } from './proof'
import { route } from './route'
import * as s from './shapes'
import { startRoutes } from './starts'
import { watchRoutes } from './watch'
import { workerRoutes } from './workers'
import { tryRoutes } from './tries'

/** With what a start is asked for, so that one that is asked for twice is one run. */
const pressing = {
  press: z
    .string()
    .min(8)
    .max(100)
    .optional()
    .describe('made up by whoever asks; asked for again with the same, the answer is the run that it began'),
  again: z
    .boolean()
    .optional()
    .describe('run what was run before, knowingly; else that is the fault already-started'),
}

/** Which loads a rerun brings back, and where each begins. */
const again = {
  loads: z
    .array(numberInBody)
    .max(10_000)
    .optional()
    .describe(
      'ids of loads of this run; all that did not get done where it is left out, or, from a step, all of its part and of those behind it',
    ),
  from: z
    .union([z.strictObject({ step: z.string() }), z.strictObject({ failed: z.literal(true) })])
    .optional()
    .describe(
      'the step that each load begins at: one by its id, or that which failed; the first where it is left out',
    ),
}

/** Every operation of the API, by name. */
export const routes = {
  ...accessRoutes,
  ...alertRoutes,
  ...arrivalRoutes,
  ...catalogRoutes,
  ...bringInRoutes,
  ...controlRoutes,
  ...coverageRoutes,
  ...keepingRoutes,
  ...markRoutes,
  ...mendingRoutes,
  ...runControlRoutes,
  ...planRoutes,
  ...proofRoutes,
  ...tryRoutes,
  ...startRoutes,
  ...watchRoutes,
  ...workerRoutes,
  session: route({
    method: 'get',
    path: '/api/session',
    summary: 'who is signed in, and the environments',
    response: s.sessionSchema,
    needs: 'nobody',
  }),
  signIn: route({
    method: 'post',
    path: '/api/session',
    summary: 'sign in',
    body: z.object({ email: z.string(), password: z.string() }),
    response: s.sessionSchema,
    needs: 'nobody',
  }),
  invitation: route({
    method: 'post',
    path: '/api/invitation',
    summary:
      'make an account at an address that was given for it, and sign in with it; the address holds once',
    body: z.object({
      code: z.string().min(1).max(200).describe('the code in the address'),
      ...s.newAccount,
    }),
    response: s.sessionSchema,
    needs: 'nobody',
    faults: ['invitation', 'conflict'],
  }),
  signOut: route({ method: 'delete', path: '/api/session', summary: 'sign out', needs: 'look' }),
  keepForMe: route({
    needs: 'look',
    method: 'put',
    path: '/api/session/kept',
    summary: 'keep where I looked last, or how I set up a table',
    body: z.object({
      environment: z.string().max(100).optional().describe('where the pages open next time'),
      table: z
        .object({ name: z.string().min(1).max(100).describe('the table'), settings: s.tableSettingsSchema })
        .optional(),
    }),
  }),

  connections: route({
    method: 'get',
    path: '/api/connections',
    summary: 'all connections',
    query: inEnvironment,
    response: z.array(s.connectionSchema),
  }),
  addConnection: route({
    needs: 'house',
    method: 'post',
    path: '/api/connections',
    summary: 'add a connection',
    body: z.object({
      name: z.string().regex(/^[a-z][a-z0-9_-]*$/, 'lower-case letters, digits, - and _'),
      kind: z.enum(connectionKinds),
      title: z.string().min(1),
      cap: countInBody.nullable(),
      needs: needsSchema.optional().describe('tags that a worker must have to reach it'),
    }),
  }),
  changeConnection: route({
    needs: 'house',
    method: 'put',
    path: '/api/connections/:name',
    summary: 'change title, cap and what a worker needs to reach it',
    params: name,
    body: z.object({
      title: z.string().min(1),
      cap: countInBody.nullable(),
      needs: needsSchema.optional(),
    }),
  }),
  removeConnection: route({
    needs: 'house',
    method: 'delete',
    path: '/api/connections/:name',
    summary: 'remove a connection',
    params: name,
  }),
  saveSettings: route({
    needs: 'house',
    method: 'put',
    path: '/api/connections/:name/settings/:environment',
    summary: 'settings in one environment; a secret left out stays',
    params: z.object({ name: z.string(), environment: z.string() }),
    body: z.object({ settings: s.settingsSchema, secret: z.string().optional() }),
  }),
  testConnection: route({
    needs: 'run',
    method: 'post',
    path: '/api/connections/:name/test',
    summary: 'try a connection step by step',
    params: name,
    body: inEnvironment,
    response: s.testSchema,
  }),

  jobs: route({ method: 'get', path: '/api/jobs', summary: 'all jobs', response: z.array(s.jobBriefSchema) }),
  job: route({
    method: 'get',
    path: '/api/jobs/:name',
    summary: 'one version of a job',
    params: name,
    query: z.object({ version: numberInAddress.optional() }),
    response: s.jobSchema,
  }),
  saveJob: route({
    method: 'put',
    path: '/api/jobs/:name',
    summary: 'save the next version',
    params: name,
    body: z.object({ text: z.string(), base: numberInBody.optional(), message: z.string().default('') }),
    response: z.object({
      version: z.number(),
      stays: z.array(z.object({ environment: z.string(), version: z.number().nullable() })),
    }),
    somewhere: true,
  }),
  putJob: route({
    method: 'put',
    path: '/api/jobs/:name/environments/:environment',
    summary: 'put a version into an environment: from then on it is what runs there',
    params: name.extend({ environment: z.string() }),
    body: z.object({ version: numberInBody }),
    faults: ['unknown-name'],
  }),
  checkJob: route({
    needs: 'look',
    method: 'post',
    path: '/api/jobs/check',
    summary: 'read a document: its outline, or its mistakes by line',
    body: z.object({ text: z.string() }),
    response: s.checkedSchema,
  }),
  resolveJob: route({
    typed: true,
    needs: 'look',
    method: 'post',
    path: '/api/jobs/resolve',
    summary: 'resolve every text of a part for one row and slice',
    body: z.object({
      text: z.string(),
      environment: z.string(),
      part: numberInBody,
      row: z.string().optional(),
      search: z.string().default(''),
      slice: z.string().optional(),
      parameters: s.rowSchema.default({}),
    }),
    response: s.resolvedSchema,
  }),

  jobEffect: route({
    typed: true,
    needs: 'look',
    method: 'post',
    path: '/api/jobs/:name/effect',
    summary: 'what a text would do to the loads of the job, in the place of its newest version',
    params: name,
    body: z.object({ text: z.string(), environment: z.string(), parameters: s.rowSchema.default({}) }),
    response: jobEffectSchema,
  }),
  previewRoster: route({
    typed: true,
    needs: 'look',
    method: 'post',
    path: '/api/jobs/roster',
    summary: 'the rows that a part would loop over',
    body: z.object({
      text: z.string(),
      environment: z.string(),
      part: numberInBody,
      parameters: s.rowSchema.default({}),
      search: z.string().default(''),
      offset: numberInBody.default(0),
      limit: z.int().min(1).max(1000).default(100),
    }),
    response: s.rosterSchema,
  }),
  mapping: route({
    typed: true,
    needs: 'look',
    method: 'post',
    path: '/api/jobs/mapping',
    summary: 'how the columns of a transfer’s source meet those of its target, for one row and slice',
    body: z.object({
      text: z.string(),
      environment: z.string(),
      part: numberInBody,
      step: z.string(),
      row: z.string().optional(),
      search: z.string().default(''),
      slice: z.string().optional(),
      parameters: s.rowSchema.default({}),
    }),
    response: mappingSchema,
  }),

  startRun: route({
    needs: 'run',
    of: 'plan',
    method: 'post',
    path: '/api/runs',
    summary: 'run a plan',
    body: z.object({
      plan: numberInBody,
      ...pressing,
      order: z
        .enum(['oldest', 'newest'])
        .optional()
        .describe('which slices go first; the oldest where it is left out'),
      atOnce: z
        .int()
        .min(1)
        .max(64)
        .optional()
        .describe('loads of a part that run at the same time, where fewer than its job says are wanted'),
      behind: z.boolean().optional().describe('everything else goes before it'),
      then: z
        .array(numberInBody)
        .max(50)
        .optional()
        .describe('plans that are run after it, one after the other, each when the one before is done'),
    }),
    response: z.object({
      run: z.number(),
      then: z.array(z.number()).optional().describe('the runs of those that come after'),
    }),
    faults: ['already-started'],
  }),
  runs: route({
    method: 'get',
    path: '/api/runs',
    summary: 'runs, newest first',
    query: z.object({
      ...page,
      job: z.string().optional(),
      state: s.stateSchema.optional(),
      environment: z.string().optional(),
      since: moment.optional(),
      until: moment.optional(),
    }),
    response: z.object({ total: z.number(), runs: z.array(s.runBriefSchema) }),
  }),
  run: route({ method: 'get', path: '/api/runs/:id', summary: 'one run', params: id, response: s.runSchema }),
  runLoads: route({
    method: 'get',
    path: '/api/runs/:id/loads',
    summary: 'loads of a run, by page',
    params: id,
    query: z.object({
      ...page,
      order: z.enum(['started', 'failed', 'worker', 'plan']).default('started'),
      state: s.stateSchema.optional(),
      search: z.string().optional(),
      cause: z.string().optional(),
    }),
    response: z.object({ total: z.number(), loads: z.array(s.runLoadSchema) }),
  }),
  loadWaits: route({
    method: 'get',
    path: '/api/runs/:id/loads/:load/waits',
    summary: 'what a load waits for, or waited for',
    params: id.extend({ load: numberInAddress }),
    response: waitsSchema,
  }),
  runLoad: route({
    method: 'get',
    path: '/api/runs/:id/loads/:load',
    summary: 'all that is known of a load',
    params: z.object({ id: numberInAddress, load: numberInAddress }),
    response: s.loadDetailSchema.extend({
      controls: s.controlRowsSchema.describe(
        'rows of control tables that it was planned for, outermost first',
      ),
    }),
  }),
  rerun: route({
    needs: 'run',
    of: 'run',
    method: 'post',
    path: '/api/runs/:id/rerun',
    summary: 'run again what failed, was stopped or skipped, or, from a step on, what was done, too',
    params: id,
    body: z.object({ ...again, ...pressing }),
    response: z.object({ run: z.number() }),
    faults: ['already-started'],
  }),
  rerunOutlook: route({
    needs: 'look',
    method: 'post',
    path: '/api/runs/:id/rerun/outlook',
    summary: 'what a rerun would do, before it does it',
    params: id,
    body: z.object(again),
    response: z.object({
      loads: z.number(),
      steps: z.array(
        z.object({
          step: z.string(),
          kind: stepKindSchema,
          kept: z.number().describe('loads in which it is kept as it was done'),
          again: z.number().describe('loads in which it is done'),
          twice: z.number().describe('loads whose rows it would bring a second time'),
        }),
      ),
    }),
  }),
  planAnew: route({
    needs: 'run',
    of: 'run',
    method: 'post',
    path: '/api/runs/:id/plan',
    summary:
      'plan once more what a run did not get done, with the rows, files and texts of now; all else is left out of the plan',
    params: id,
    body: z.object({ loads: again.loads }),
    response: z.object({
      id: z.number().describe('number of the plan'),
      loads: z.number().describe('loads of the run that are in it'),
      missing: z.array(z.string()).describe('keys of loads of the run that the job has no more'),
    }),
  }),
  runDocument: route({
    method: 'get',
    path: '/api/runs/:id/document',
    summary: 'a run in short, for scripts',
    params: id,
    response: s.runDocumentSchema,
  }),
  showDocument: route({
    method: 'get',
    path: '/api/runs/:id/show',
    summary: 'a run with every load, for scripts',
    params: id,
    response: s.showDocumentSchema,
  }),
} as const

export type Routes = typeof routes
