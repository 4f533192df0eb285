import type { FileWork } from '../../core/job/fileWorks'
import { copy } from './copy'
import type { FileWorker } from './definition'
import { move } from './move'
import { pack } from './pack'
import { remove } from './remove'
import { unpack } from './unpack'

/** Everything that is done with files: how it is done. */
export const fileWorkers: { readonly [K in FileWork]: FileWorker } = {
  copy,
  move,
  delete: remove,
  pack,
  unpack,
}
