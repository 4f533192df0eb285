import { readFile } from 'node:fs/promises'
import { RE2JS } from 're2js'
import type { CheckSpec } from '../../core/job/checks'
import { isNumber, sameNumber } from '../../core/value'
import { openAs } from '../connectors/connections'
import { insideStore, Lister } from '../connectors/files/store'
import { stepFault } from '../context/step'
import { holds, type Checker, type CheckedAlone } from './definition'
import { oneRow } from './oneRow'

/** Bytes of a file that says a total. */
const mostBytes = 64 * 1024

export const total: Checker<CheckSpec<'total'>> = {
  async alone(checked, spec) {
    const { client, outcome, on, text, own } = checked
    const query = text('query')
    if (query.kind !== 'sql') throw new Error('SQL was expected')
    const [found, another] = await oneRow(client, outcome, on, await own(query.text), query.values)
    if (another || !found) stepFault('not-one-row', 'the query of a control total gives one value', 'mend the query of the check') // prettier-ignore
    const { words, said } = spec.file === undefined ? { words: text('is').text, said: 'is said' } : await fromFile(checked, spec) // prettier-ignore
    const same =
      found.text !== null &&
      (found.numeric && isNumber(words) ? sameNumber(found.text, words) : found.text === words)
    return same
      ? holds
      : { why: `${found.name} is ${found.text ?? 'empty'}, and ${words} ${said}`, advice: 'look what is missing, or came twice' } // prettier-ignore
  },
}

/** The total that a file says. @throws StepFault where it says none */
async function fromFile(
  { context: { engine, environment }, text }: CheckedAlone,
  { find }: CheckSpec<'total'>,
): Promise<{ words: string; said: string }> {
  const { store } = await openAs(engine, 'files', text('store').text, environment)
  const path = text('file')
  if (path.kind !== 'path') throw new Error('a path was expected')
  const files = await new Lister(store).find(path.pattern)
  const [file] = files
  if (!file || files.length > 1)
    stepFault('no-file', `${files.length === 0 ? 'no file' : `${files.length} files`} of ${store.name} ${files.length > 1 ? 'match' : 'matches'} ${path.text}, and one says the total`, 'look whether it comes later, or under another name') // prettier-ignore
  if (file.size > mostBytes)
    stepFault('file', `${file.path} is too large to say a total (${file.size.toLocaleString('en')} bytes)`, 'name the file of the total') // prettier-ignore
  const content = (await readFile(await insideStore(store, file.path), 'utf8')).replace(/^\uFEFF/, '')
  if (find === undefined) return { words: content.trim(), said: `is said by ${file.path}` }
  let matcher
  try {
    matcher = RE2JS.compile(find).matcher(content)
  } catch (error) {
    return stepFault('pattern', `"${find}" is no regular expression: ${(error as Error).message}`, 'mend find in the check') // prettier-ignore
  }
  const words = matcher.find() ? matcher.group(matcher.groupCount() === 0 ? 0 : 1) : null
  return words === null
    ? stepFault('file', `${file.path} says nothing that ${find} finds`, 'look at the file, or mend find in the check') // prettier-ignore
    : { words: words.trim(), said: `is said by ${file.path}` }
}
