import type { z } from 'zod'
import { healthSchema } from './health'
import type { InEnvironment, Needs } from './route'

/** An address whose answer is no document of the API: a stream, a file, a schema. */
export interface PlainRoute {
  readonly method: 'get'
  readonly path: string
  readonly summary: string
  readonly needs: Needs
  /** What its `id` is the number of. */
  readonly of?: InEnvironment
  /** Media type of its answer. */
  readonly produces: string
  /** What its JSON is like. */
  readonly answer?: z.ZodType
  /** Status of an answer that is no fault, beside 200. */
  readonly also?: number
}

/** Every address beside those of the API proper. */
export const plainRoutes = {
  health: {
    method: 'get',
    path: '/api/health',
    summary: 'how the database, the workers and the disk are; 503 where one of them is not well',
    needs: 'nobody',
    produces: 'application/json',
    answer: healthSchema,
    also: 503,
  },
  openApi: {
    method: 'get',
    path: '/api/openapi.json',
    summary: 'this description',
    needs: 'nobody',
    produces: 'application/json',
  },
  jobSchema: {
    method: 'get',
    path: '/api/schema/job.json',
    summary: 'JSON Schema (draft 2020-12) of a job document',
    needs: 'nobody',
    produces: 'application/schema+json',
  },
  events: {
    method: 'get',
    path: '/api/events',
    summary: 'what changes, as server-sent events: fetch again what they name',
    needs: 'look',
    produces: 'text/event-stream',
  },
  rejectsFile: {
    method: 'get',
    path: '/api/runs/:id/loads/:load/rejects.csv',
    summary: 'the rejects of a load as CSV',
    needs: 'run',
    of: 'run',
    produces: 'text/csv',
  },
  startsCalendar: {
    method: 'get',
    path: '/api/starts.ics',
    summary: 'the starts of the next two weeks in an environment (`?environment=`), as iCalendar (RFC 5545)',
    needs: 'look',
    produces: 'text/calendar',
  },
  catalogFile: {
    method: 'get',
    path: '/api/catalog.csv',
    summary: 'the catalog as CSV, a line a column',
    needs: 'look',
    produces: 'text/csv',
  },
} as const satisfies Record<string, PlainRoute>
