import { z } from 'zod'
import { againSchema } from '../core/schedule/pause'
import { id, inEnvironment, moment, numberInBody, page } from './common'
import { route } from './route'

const at = z.string().describe('ISO 8601 instant')
const kind = z.string().describe('what makes it begin: clock, slice, ended, refreshed, arrived or called')

const pauseSchema = z
  .object({
    id: z.number(),
    environment: z.string(),
    job: z.string().nullable().describe('null: every job'),
    start: z.string().nullable().describe('null: every start of the job'),
    from: at,
    until: z.string().nullable().describe('null: until somebody ends it'),
    why: z.string(),
    by: z.string(),
    endedBy: z.string().nullable().describe('who ended it before its time'),
    again: againSchema.nullable().describe('how it comes again and again between the two; null for one span'),
  })
  .meta({ id: 'Pause', description: 'a span in which nothing begins by itself' })

const spanSchema = z.object({
  from: at,
  until: z.string().nullable().describe('null: until somebody ends it'),
})

const foreseenSchema = z
  .object({
    job: z.string(),
    start: z.string().nullable().describe('null for a run that goes on already'),
    label: z.string().nullable().describe('the slice whose end it is'),
    at: z.string().describe('when its start comes'),
    begins: z.string().describe('when its first load begins'),
    ends: z.string().describe('when it will likely be done'),
    low: z.string().describe('one time in ten it is done before this'),
    high: z.string().describe('one time in ten it is done after this'),
    after: z.array(z.number()).describe('places in this list of the runs after whose end it begins'),
    unknown: z.boolean().describe('nothing is known of how long it takes'),
    run: z.number().nullable().describe('the run that goes on already'),
    refused: z.boolean().describe('it is left out, since another run of its job goes on'),
    stuck: z
      .string()
      .nullable()
      .describe(
        'what it waits for, where nothing in the span brings that: it ends at the end of the span then, or when it has given up',
      ),
    givesUp: z.string().nullable().describe('when loads of it wait no longer for that, and fail'),
    due: z.string().nullable().describe('by when it is to be done'),
  })
  .meta({ id: 'ForeseenRun', description: 'a run that will begin, and when it will likely be done' })

const playedShape = {
  at: z.string().describe('now, by the clock that starts go by'),
  workers: z.number().describe('loads that all workers together run at once'),
  foreseen: z.array(foreseenSchema),
  held: z
    .array(z.object({ job: z.string(), start: z.string(), at, pause: z.number().describe('which pause keeps it') }))
    .describe('times that a pause keeps from beginning'),
  busy: z.array(z.object({ at, loads: z.number() })).describe('loads that run at once, from each time on'),
  crowded: z
    .array(z.object({ from: at, until: at, waiting: z.number().describe('loads that waited at most') }))
    .describe('stretches in which loads wait for a place at a worker'),
  capped: z
    .array(z.object({ connection: z.string(), from: at, until: at, waiting: z.number().describe('loads that waited at most') }))
    .describe('stretches in which loads wait for a connection that takes no more at once'),
  caps: z
    .array(z.object({ connection: z.string(), cap: z.number().describe('loads that may use it at once') }))
    .describe('connections of its runs that say how many loads may use them at once'),
} // prettier-ignore

const outlookSchema = z
  .object({
    ...playedShape,
    jobs: z.array(
      z.object({
        job: z.string(),
        title: z.string(),
        zone: z.string(),
        due: z.string().nullable(),
        starts: z.array(
          z.object({
            id: z.string(),
            kind,
            moves: z.boolean().describe('it can be moved to another time of the day'),
            given: z.record(z.string(), z.unknown()).describe('what its kind is given, as in the document'),
            text: z.string().describe('in words'),
            zone: z.string(),
            next: z.string().nullable(),
            waitsFor: z.array(z.string()).describe('jobs and datasets'),
            pause: pauseSchema.nullable(),
          }),
        ),
      }),
    ),
  })
  .meta({ id: 'StartsOutlook', description: 'what will begin by itself' })

const pastRunSchema = z.object({
  run: z.number(),
  job: z.string(),
  state: z.string(),
  start: z.string().nullable().describe('the start that began it; null where somebody or something else did'),
  from: at,
  to: z.string().nullable(),
})

const occasionSchema = z
  .object({
    id: z.number(),
    job: z.string(),
    title: z.string(),
    start: z.string(),
    kind,
    at: z.string().describe('when it was due'),
    state: z.enum(['due', 'started', 'skipped', 'failed', 'paused']).describe('what was decided'),
    cause: z.string().describe('what it came by, in words'),
    why: z.string().nullable().describe('why it was left out, late, or could not begin'),
    from: z.string().nullable().describe('the first slice that it takes begins here'),
    to: z.string().nullable().describe('the last slice that it takes ends here'),
    decidedAt: z.string(),
    begunAt: z.string().nullable(),
    run: z.number().nullable(),
    runState: z.string().nullable().describe('state of its run'),
    plan: z.number().nullable().describe('the plan that was made for it'),
  })
  .meta({ id: 'Occasion', description: 'one time that a start came, and what was decided about it' })

const previewSchema = z.object({
  starts: z.array(
    z.object({
      id: z.string(),
      kind,
      text: z.string().describe('in words'),
      zone: z.string(),
      next: z.array(
        z.object({
          at,
          slice: z.string().nullable().describe('the slice that it takes'),
          change: z.enum(['forward', 'back']).nullable().describe('the clock of its zone was changed since the time before'),
        }),
      ),
      waitsFor: z.array(z.string()),
      unknown: z.array(z.string()).describe('jobs that it waits for and that are not there'),
      circle: z.array(z.string()).nullable().describe('jobs that would start each other for ever'),
    }),
  ),
}) // prettier-ignore

/** A start as it would be. */
const moved = z.array(z.object({ job: z.string(), start: z.string(), given: z.record(z.string(), z.unknown()).describe('what its kind is given, as in the document') })).max(100).default([]).describe('starts that would be others') // prettier-ignore

const callable = z.object({
  environment: z.string(),
  job: z.string(),
  start: z.string().describe('the name of the start'),
})

export const startRoutes = {
  callStart: route({
    needs: 'nobody',
    signed: true,
    method: 'post',
    path: '/api/calls/:environment/:job/:start',
    summary:
      'begin a job from another program: signed (RFC 9421, HMAC with SHA-256) with the key of the start, over "@method", "@path" and "content-digest" (RFC 9530), with created and keyid',
    params: callable,
    body: z.strictObject({
      id: z
        .string()
        .min(1)
        .max(200)
        .optional()
        .describe('made up by the caller: what is called twice with the same is done once'),
      parameters: z
        .record(z.string(), z.union([z.string().max(10_000), z.number(), z.boolean(), z.null()]))
        .optional()
        .describe('values for parameters of the job'),
    }),
    response: z.object({
      decision: z.number().describe('which decision about a start it is'),
      state: z.string().describe('due, skipped or paused; what it became where it was called before'),
      why: z.string().nullable(),
    }),
    faults: ['signed-out', 'parameter', 'too-many'],
  }),
  callKeys: route({
    method: 'get',
    path: '/api/jobs/:name/calls',
    summary: 'which starts of a job can be called, and where',
    params: z.object({ name: z.string() }),
    query: z.object({ environment: z.string() }),
    response: z.array(
      z.object({
        start: z.string().describe('the name of the start'),
        path: z.string().describe('where it is called'),
        madeBy: z.string().describe('who made its key'),
        madeAt: z.string().describe('when its key was made'),
        usedAt: z.string().nullable().describe('when it was last called'),
      }),
    ),
  }),
  makeCallKey: route({
    needs: 'run',
    method: 'post',
    path: '/api/starts/key',
    summary: 'make the key that calls of a start are signed with; the one before opens nothing any more',
    body: callable,
    response: z.object({
      key: z.string().describe('told this once'),
      path: z.string().describe('where it is called'),
    }),
  }),
  dropCallKey: route({
    needs: 'run',
    method: 'post',
    path: '/api/starts/key/drop',
    summary: 'take the key of a start away: nobody can call it any more',
    body: callable,
  }),
  starts: route({
    method: 'get',
    path: '/api/starts',
    summary: 'what will begin by itself in a span, and what ran in it',
    query: z.object({ environment: z.string(), from: moment, until: moment }),
    response: outlookSchema.extend({
      past: z.array(pastRunSchema),
      pauses: z.array(
        pauseSchema.extend({
          words: z.string().nullable().describe('how it comes again, in words'),
          spans: z.array(spanSchema).describe('those of the time that is asked about, and the two that go on or come next'),
        }),
      ).describe('those of the time that is asked about, and all that are not over'),
      lag: z
        .object({ starts: z.number(), median: z.number(), most: z.number() })
        .nullable()
        .describe('seconds between the time of a start and its run, over the last day'),
    }),
  }),
  playStarts: route({
    needs: 'look',
    method: 'post',
    path: '/api/starts/play',
    summary: 'play a span through with other starts, workers or caps of connections, before anything is saved',
    body: z.object({
      environment: z.string(),
      from: moment,
      until: moment,
      workers: numberInBody.optional(),
      caps: z.record(z.string(), z.int().min(1).max(10_000)).optional().describe('other numbers of loads that may use connections at once'),
      moved,
    }),
    response: z.object(playedShape),
  }),
  nextStarts: route({
    method: 'get',
    path: '/api/starts/next',
    summary: 'the next runs that will begin by themselves',
    query: z.object({ environment: z.string(), hours: z.coerce.number().int().min(1).max(336).default(24).describe('how many hours are looked ahead'), limit: page.limit }),
    response: z.array(
      z.object({
        job: z.string(),
        at,
        cause: z.string(),
        slice: z.string().nullable(),
        forecast: z.object({ seconds: z.number(), ends: at }).nullable().describe('null where nothing is known'),
      }),
    ),
  }),
  occasions: route({
    method: 'get',
    path: '/api/starts/decisions',
    summary: 'what was decided about starts, newest first',
    query: z.object({
      environment: z.string(),
      job: z.string().optional(),
      state: occasionSchema.shape.state.optional(),
      ...page,
    }),
    response: z.object({ total: z.number(), occasions: z.array(occasionSchema) }),
  }),
  previewStarts: route({
    needs: 'look',
    method: 'post',
    path: '/api/starts/preview',
    summary: 'the starts of a document in words, and when they come next',
    body: z.object({ text: z.string(), environment: z.string() }),
    response: previewSchema,
  }),
  pauseStarts: route({
    needs: 'run',
    method: 'post',
    path: '/api/pauses',
    summary: 'pause the starts of an environment, a job, or one of them',
    body: z.object({
      ...inEnvironment.shape,
      job: z.string().optional(),
      start: z.string().optional(),
      from: z.iso.datetime({ offset: true }).optional().describe('from now on where it is left out'),
      until: z.iso.datetime({ offset: true }).optional().describe('until somebody ends it where it is left out'),
      again: againSchema.optional().describe('it comes again and again in that time, and is not all of it'),
      why: z.string().trim().min(1).max(500),
    }),
    response: z.object({ pause: z.number() }),
  }),
  endPause: route({
    needs: 'run',
    of: 'pause',
    method: 'delete',
    path: '/api/pauses/:id',
    summary: 'end a pause; what it kept is decided about now',
    params: id,
    query: z.object({ once: z.stringbool().default(false).describe('end what goes on now of a pause that comes again, and let it come again') }),
  }),
} // prettier-ignore
