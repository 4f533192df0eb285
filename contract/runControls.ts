import { z } from 'zod'
import { id, numberInBody } from './common'
import { route } from './route'

/** What a person does to a run that goes on. */

const loads = z.array(numberInBody).min(1).max(10_000).describe('ids of the loads')
const moved = z.object({ loads: z.number().describe('how many loads it changed') })
const of = { needs: 'run', of: 'run', method: 'post', params: id } as const

export const runControlRoutes = {
  stopRun: route({
    ...of,
    path: '/api/runs/:id/stop',
    summary: 'stop: nothing new starts, what runs is rolled back',
  }),
  holdRun: route({
    ...of,
    path: '/api/runs/:id/hold',
    summary: 'hold: nothing new begins until it is told to go on; what runs comes to its end',
    faults: ['not-running'],
  }),
  goOn: route({
    ...of,
    path: '/api/runs/:id/go-on',
    summary: 'let a held run go on, and what in it stopped for a look',
    body: z.object({ loads: loads.optional().describe('only these, where they stopped for a look') }),
    faults: ['not-held'],
  }),
  setAside: route({
    ...of,
    path: '/api/runs/:id/set-aside',
    summary: 'take loads that wait out of a run; the rest goes on',
    body: z.object({ loads }),
    response: moved,
  }),
  giveUpFailed: route({
    ...of,
    path: '/api/runs/:id/failed/set-aside',
    summary:
      'set aside what failed in a run that is over: what waits for it goes on, and a rerun brings it back',
    body: z.object({
      why: z.string().trim().min(3, 'say why').max(500).describe('the reason, which is kept'),
    }),
    response: moved,
  }),
  letGo: route({
    ...of,
    path: '/api/runs/:id/let-go',
    summary: 'let loads go before their part begins, though something that they wait for is missing',
    body: z.object({
      loads: loads.optional().describe('all that wait for what others make, where it is left out'),
      why: z.string().trim().min(3).max(500).describe('the reason, which is kept'),
    }),
    response: moved,
  }),
  putFirst: route({
    ...of,
    path: '/api/runs/:id/first',
    summary:
      'put waiting loads before the others of their part, or, without loads, the run before other runs',
    body: z.object({ loads: loads.optional() }),
    response: moved,
  }),
} as const
