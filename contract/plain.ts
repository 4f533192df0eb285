import type { Needs } from './route'

/** An address whose answer is no document of the API: a stream, a file, a schema. */
export interface PlainRoute {
  readonly method: 'get'
  readonly path: string
  readonly summary: string
  readonly needs: Needs
  /** Media type of its answer. */
  readonly produces: string
}

/** Every address beside those of the API proper. */
export const plainRoutes = {
  health: {
    method: 'get',
    path: '/api/health',
    summary: 'does the server answer',
    needs: 'nobody',
    produces: 'application/json',
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
    needs: 'look',
    produces: 'text/csv',
  },
  catalogFile: {
    method: 'get',
    path: '/api/catalog.csv',
    summary: 'the catalog as CSV, a line a column',
    needs: 'look',
    produces: 'text/csv',
  },
} as const satisfies Record<string, PlainRoute>
