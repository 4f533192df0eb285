import { drainWorker, listWorkers } from '../../engine/queue/workers'
import type { Handlers } from '../handler'

export const workerHandlers: Pick<Handlers, 'workers' | 'drainWorker'> = {
  workers: async ({ engine }) => (await listWorkers(engine)) as never,
  drainWorker: async ({ engine }, { params, body }) => {
    await drainWorker(engine, params.id, body.drain)
    return {}
  },
}
