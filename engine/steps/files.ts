import { fileWorks } from '../../core/job/fileWorks'
import type { StepSpec } from '../../core/job/steps'
import { insideStore, Lister } from '../connectors/files/store'
import { openAs } from '../connectors/connections'
import { StepFault, stepFault } from '../context/step'
import { fileWorkers } from '../fileWorks'
import type { FilesAtWork } from '../fileWorks/definition'
import type { TakenFile } from '../fileWorks/taken'
import { inBatches } from '../context/inBatches'
import type { StepRunner } from './definition'

export const files: StepRunner<StepSpec<'files'>> = {
  async run(context, spec) {
    const { engine, environment, text, aside, outcome } = context
    const from = text('from.files')
    if (from.kind !== 'path') throw new Error('a path was expected')
    const opened = async (path: 'from.store' | 'into.store') =>
      (await openAs(engine, 'files', text(path).text, environment)).store
    const real = await opened('from.store')
    const store = aside ? await aside.storeOf(real, from.pattern) : real
    const found = await new Lister(store).find(from.pattern)
    const root = await store.real()
    const listed: TakenFile[] = []
    await inBatches(found, 16, async ({ path, size, modified }) => {
      const full = await insideStore(store, path, root).catch((error: NodeJS.ErrnoException) => {
        // gone since it was listed
        if (error.code !== 'ENOENT') throw error
      })
      if (full !== undefined) listed.push({ path, full, size, modified })
    })
    const into = fileWorks[spec.do].into === 'nothing' ? undefined : await opened('into.store')
    const work: FilesAtWork = {
      context,
      spec,
      store,
      files: listed.sort((a, b) => (a.path < b.path ? -1 : 1)),
      ...(into && {
        into: {
          store: aside ? await aside.storeFor(into) : into,
          folder: spec.into?.folder === undefined ? '' : text('into.folder').text,
          file: spec.into?.file === undefined ? undefined : text('into.file').text,
        },
      }),
    }
    const worker = fileWorkers[spec.do]
    if (listed.length === 0 && !(await worker.mayFindNone?.(work))) {
      const message = `no file of ${store.name} matches ${from.text}`
      if (spec.missing === 'go-on') {
        outcome.log.push(message)
        return outcome
      }
      const advice = 'look whether it comes under another name, or later'
      if (spec.missing === 'skip')
        throw new StepFault({ code: 'no-file', message, effect: 'nothing was done', advice }, true)
      stepFault('no-file', message, advice)
    }
    await worker.run(work)
    return outcome
  },
}
