import { openEngine } from '../engine/context/engine'
import { openLog } from '../engine/context/logger'
import { endHard, endWithParent } from './hard'
import { servePlanner } from '../engine/planner/process'

/** Plans for the server that started it. */
export async function planner(): Promise<number> {
  const url = process.env.DATABASE_URL
  const data = process.env.MATTOCK_DATA
  if (!url || !data) throw new Error('the planner is started by the server')
  // signals end the server, which lets go of its planner
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => {})
  endWithParent()
  const engine = await openEngine(url, data, 8, openLog('planner'))
  await servePlanner(engine)
  return endHard()
}
