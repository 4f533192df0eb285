import { fail } from '../../../core/fault'
import { storeRefusal } from '../../context/stores'
import { withFolder } from '../../context/temporary'
import { withDuck } from '../../duck/duck'
import { formats } from '../../formats'
import { detectFile } from '../../formats/detect'
import { checkGzip } from '../../formats/gzip'
import { reasonOf } from '../../survey/reason'
import type { Connector } from '../definition'
import { firstOf } from '../firstOf'
import { folderEntries } from './entries'
import { insideStore, openStore, storeSteps } from './store'
import { surveyFiles } from './survey'

export const files: Connector<'files'> = {
  open: (name, { folder }, _secret, engine) => ({
    kind: 'files',
    name,
    store: openStore(name, String(folder), engine.stores),
  }),
  refusal: async ({ folder }, engine) => await storeRefusal(String(folder), engine.stores),
  async test({ store }, step) {
    await step('can read', async () => {
      const found = await storeSteps(store)
      return [undefined, `${found.files.toLocaleString('en')} files at the top of ${store.root}`]
    })
  },
  browse: async ({ store }, path) => await folderEntries(store, path),
  async firstRows({ store }, path, limit) {
    try {
      return await withFolder((folder) =>
        withDuck('UTC', true, async (duck) => {
          const full = await insideStore(store, path)
          const known = await detectFile(full, path)
          if ('reason' in known) fail('file', `${path}: ${known.reason}`, { path })
          if (known.gzip) await checkGzip(full, path)
          const { sql, note } = await formats[known.kind].look(duck, { full, path }, known, folder)
          return await firstOf(duck, sql, limit, note)
        }),
      )
    } catch (error) {
      if ((error as { fault?: unknown }).fault) throw error
      return fail('file', `${path}: ${reasonOf(error)}`, { path })
    }
  },
  survey: async ({ store }, { scope, folder, signal, progress, memory }) =>
    await withDuck('UTC', true, async (duck) =>
      surveyFiles(duck, store, scope, { ...(await memory()), progress }, folder, signal),
    ),
}
