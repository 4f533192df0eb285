import { some } from '../../text/someOf'
import type { Rule } from './rule'
import { doubles } from '../../job/steps/transfer'
import { transfersOf } from '../view'

/**
 * `append-repeats`: appending in a part with slices. A slice that runs again, because it failed half-way through its
 * steps, is restated or picked once more, brings its rows a second time.
 */
export const appendRepeats: Rule = (expansion, facts, findings) => {
  const loaded = new Set((facts.before?.slices ?? []).map(({ from, to }) => `${from}/${to}`))
  const steps = new Map<string, { part: number; step: string; numbers: number[]; again: Set<string> }>()
  for (const { load, spec, step, number } of transfersOf(expansion)) {
    if (load.slice < 0 || !doubles(spec)) continue
    const id = `${load.part}\n${step.id}`
    const entry = steps.get(id) ?? { part: load.part, step: step.id, numbers: [], again: new Set<string>() }
    steps.set(id, entry)
    entry.numbers.push(number)
    const slice = expansion.parts[load.part]!.slices![load.slice]!
    if (loaded.has(`${slice.from}/${slice.to}`)) entry.again.add(slice.label)
  }
  for (const { part, step, numbers, again } of steps.values()) {
    const where = { part, step, path: 'transfer.into.write' }
    if (again.size > 0)
      findings.add(
        'append-repeats',
        'look',
        `${some([...again])} ${again.size === 1 ? 'was' : 'were'} loaded before, and ${step} appends: rows that came then would stand twice. Upsert or replace-slice would not repeat them`,
        where,
        numbers,
      )
    else
      findings.add(
        'append-repeats',
        'note',
        `${step} appends, so a slice that is run again brings its rows a second time; upsert or replace-slice would not`,
        where,
      )
  }
}
