import { beginsDay, clockText } from '../../slice/midnight'
import { momentParameters } from '../../text/moments'
import { some } from '../../text/someOf'
import { sqlWants, type SqlWant } from '../sqlWants'
import { loadGroups, type Rule } from './rule'

/**
 * `time-column`: a point in time meets a column that has no place for it: a date and a time that is not midnight, or no
 * time at all. A date and a timestamp without zone are otherwise those of the job's zone.
 */
export const timeColumn: Rule = (expansion, facts, findings) => {
  if (!facts.moments || facts.moments.size === 0) return
  const zone = expansion.request.job.slices?.zone ?? 'UTC'
  const midnight = new Map<string, boolean>()
  const isMidnight = (moment: string): boolean => {
    let known = midnight.get(moment)
    if (known === undefined) midnight.set(moment, (known = beginsDay(moment, zone)))
    return known
  }
  const groups = loadGroups<{ want: SqlWant; message: string }>()
  const parameters = new Map<string, readonly number[]>()
  for (const want of sqlWants(expansion)) {
    const fact = facts.moments.get(want.key)
    if (!fact) continue
    const id = [want.part, want.step, want.path, want.key].join('\n')
    if (fact.refused !== undefined) {
      groups.add(id, want, () => ({ want, message: refusedText(want, fact.refused!) }))
      continue
    }
    if (!parameters.has(want.key)) parameters.set(want.key, momentParameters(want.text))
    const cut = parameters.get(want.key)!.flatMap((n) => {
      const value = want.values[n - 1]
      const type = fact.types[n - 1]
      if (type !== 'date' && type !== 'date[]') return []
      return (Array.isArray(value) ? value : [value]).filter(
        (one): one is string => typeof one === 'string' && !isMidnight(one),
      )
    })
    if (cut.length > 0) groups.add(id, want, () => ({ want, message: cutText(want, cut[0]!, zone) }))
  }
  for (const { about, numbers, keys } of groups.list()) {
    const { part, step, path, connection } = about.want
    findings.add('time-column', 'stop', `${some(keys)}: ${about.message}`, { part, step, path, connection }, numbers)
  }
} // prettier-ignore

const refusedText = ({ column, table }: SqlWant, said: string): string =>
  column === undefined
    ? `a point in time is bound where the statement needs another type: ${said}. Write {date(…)} for the day, {local(…)} for day and time in the job's zone, or {format(…)} for a text`
    : `slice_by names ${column} of ${table}, which holds no time: ${said}. Name a column of type date, timestamp or timestamptz`

const cutText = ({ column, table }: SqlWant, moment: string, zone: string): string =>
  column === undefined
    ? `a point in time meets a date, and ${clockText(moment, zone)} in ${zone} is not the start of a day. Write {date(…)} if the day is meant, or use slices of whole days that start at midnight`
    : `${column} of ${table} is a date, and ${clockText(moment, zone)} in ${zone} is not the start of a day. Use slices of whole days that start at midnight, or a column with a time`
