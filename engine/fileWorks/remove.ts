import { hasTaken } from './covered'
import type { FileWorker } from './definition'
import { takeAway } from './takeAway'

export const remove: FileWorker = {
  run: (work) =>
    takeAway(work, {
      did: 'deleted',
      before: () => Promise.resolve(undefined),
      to: () => undefined,
      arrived: () => Promise.resolve(true),
    }),
  mayFindNone: hasTaken,
}
