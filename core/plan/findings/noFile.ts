import { number, some } from '../../text/someOf'
import type { TakenFiles } from '../../job/steps/definition'
import { fileWantsOf } from '../fileWants'
import { placeId, type FilePlace } from './expectedFiles'
import { loadGroups, type Rule } from './rule'

/** What becomes of a load that finds no file; undefined where that is well. */
const becomes: Readonly<Record<TakenFiles['missing'], string | undefined>> = {
  fail: 'fail',
  skip: 'be skipped',
  'go-on': undefined,
}

/** `no-file`: loads whose file is not there. */
export const noFile: Rule = (expansion, facts, findings) => {
  const missing = loadGroups<{ where: FilePlace; what: string }>()
  for (const want of fileWantsOf(expansion)) {
    const what = becomes[want.takes.missing]
    if (what === undefined || facts.files.get(want.key)?.length !== 0) continue
    const where = { part: want.part, step: want.step, path: want.path }
    const waits = expansion.request.job.parts[want.part]?.each?.waits?.some(
      ({ files }) => files !== undefined,
    )
    missing.add(placeId(where), want, () => ({ where, what: waits ? 'waits' : what }))
  }
  for (const { about, numbers, keys } of missing.list()) {
    if (about.what === 'waits') {
      findings.add('no-file', 'note', `${keys.length === 1 ? `${keys[0]}: its file is not there yet; its load waits` : `${number(keys.length)} loads wait for files that are not there yet: ${some(keys)}`}`, about.where, numbers) // prettier-ignore
      continue
    }
    const text =
      keys.length === 1
        ? `${keys[0]}: no file matches; its load will ${about.what}`
        : `${number(keys.length)} loads find no file and will ${about.what}: ${some(keys)}`
    findings.add('no-file', 'look', text, about.where, numbers)
  }
}
