import { z } from 'zod'
import { inEnvironment } from './common'
import { route } from './route'

const markText = z.string().max(1000).nullable()

/** Marks of loads that read only what is new: they lie beside the targets. */
export const markRoutes = {
  marks: route({
    method: 'get',
    path: '/api/jobs/:name/marks',
    summary: 'the marks that a job’s loads left, as they stand now',
    params: z.object({ name: z.string() }),
    query: inEnvironment,
    response: z.array(
      z.object({
        connection: z.string().describe('the connection beside whose tables it lies'),
        name: z.string(),
        value: markText.describe('how far it has come; null where nothing was read yet'),
        at: z.string(),
      }),
    ),
  }),
  markMoves: route({
    method: 'get',
    path: '/api/marks/moves',
    summary: 'how a mark moved, the newest first',
    query: inEnvironment.extend({ connection: z.string(), mark: z.string().describe('its name') }),
    response: z.array(
      z.object({
        from: markText.describe('where it stood before'),
        to: markText.describe('where it stood then'),
        job: z.string().nullable(),
        run: z.number().nullable(),
        load: z.number().nullable(),
        by: z.string().nullable().describe('who set it by hand; null where a load moved it'),
        why: z.string().nullable().describe('why it was set by hand'),
        at: z.string(),
      }),
    ),
  }),
  setMark: route({
    needs: 'run',
    method: 'post',
    path: '/api/marks',
    summary: 'set a mark by hand: the next load reads what is past it',
    body: inEnvironment.extend({
      connection: z.string(),
      mark: z.string().describe('its name'),
      from: markText.describe(
        'where it stands, as was shown; where it stands elsewhere by now nothing is set',
      ),
      to: markText.describe('where it is to stand; null for nothing, so that all is read'),
      why: z.string().trim().min(3).max(1000).describe('why it is set by hand; it is kept'),
    }),
    faults: ['conflict'],
  }),
}
