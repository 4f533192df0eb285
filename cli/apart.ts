import { endHard, endWithParent } from './hard'
import { sayWeGoOn } from './keep'
import { openEngine } from '../engine/context/engine'
import { openLog } from '../engine/context/logger'
import type { FromApart, ToApart } from '../engine/queue/apart'
import { runLoad } from '../engine/running/runLoad'

/** Runs the one load that the worker who began it names, says how it ended, and is gone. */
export async function apart(): Promise<number> {
  const url = process.env.DATABASE_URL
  const data = process.env.MATTOCK_DATA
  if (!url || !data || !process.send) throw new Error('apart is started by a worker')
  endWithParent()
  const engine = await openEngine(url, data, 4, openLog('apart'))
  const abort = new AbortController()
  // without its worker nobody would hear of its end
  sayWeGoOn(() => endHard())
  const said = new Promise<void>((resolve) => {
    process.on('message', (message: ToApart) => {
      if ('stop' in message) return abort.abort()
      runLoad(engine, message.started, abort.signal)
        .then(
          (end): FromApart => ({ end }),
          (error: Error): FromApart => ({ error: error.message }),
        )
        .then((answer) => process.send!(answer, () => resolve()), endHard)
    })
  })
  await said
  // threads of the reader may still stand in a pipe
  return endHard()
}
