import { z } from 'zod'
import { id } from './common'
import { route } from './route'

const workedLoad = z.object({
  id: z.number(),
  run: z.number(),
  job: z.string(),
  environment: z.string(),
  key: z.string(),
  startedAt: z.string(),
  waitsFor: z.string().nullable().describe('what its step waits for just now; null while it works'),
})

export const workerRoutes = {
  workers: route({
    method: 'get',
    path: '/api/workers',
    summary: 'every worker that was heard of lately, and what it works on',
    response: z.array(
      z
        .object({
          id: z.number(),
          host: z.string().describe('the machine that it runs on'),
          pid: z.number().describe('its process there'),
          version: z.string().describe('of which Mattock it is'),
          capacity: z.number().describe('loads that it runs at the same time'),
          startedAt: z.string(),
          beatAt: z.string().describe('when it was last heard of (ISO 8601)'),
          tags: z.array(z.string()).describe('what it reaches, beside what every worker does'),
          silent: z.boolean().describe('it was not heard of for longer than a worker may be silent'),
          draining: z.boolean().describe('it takes nothing more'),
          memory: z.number().describe('the most memory that it had, in bytes'),
          lastHour: z.number().describe('loads that it ended in the last hour'),
          loads: z.array(workedLoad).describe('what it works on'),
        })
        .meta({ id: 'Worker', description: 'a process that runs loads' }),
    ),
  }),
  drainWorker: route({
    needs: 'house',
    method: 'post',
    path: '/api/workers/:id/drain',
    summary: 'let a worker take nothing more, or take again; what it works on comes to its end',
    params: id,
    body: z.object({ drain: z.boolean().describe('false: it takes loads again') }),
  }),
}
