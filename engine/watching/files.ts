import { isOverdue } from '../../core/arrivals/arrival'
import { groupBy } from '../../core/group'
import type { Arrival, Arrivals } from '../arrivals/read'
import type { Decision } from './decision'

/** Files of the newest slices that are late or missing, grouped by job. */
export const filesOverdue = ({ newest }: Arrivals): Decision[] =>
  [
    ...groupBy(
      newest.filter(({ state }) => isOverdue(state)),
      ({ job }) => job,
    ).values(),
  ].map(fileDecision)

/** What is said of files of one job and slice that are late or never came. */
export function fileDecision(list: readonly Arrival[]): Decision {
  const [first] = list
  const missing = list.filter(({ state }) => state === 'missing').length
  return {
    kind: 'file',
    key: `file ${first!.job} ${first!.slice.label}`,
    title: `${first!.title}: ${list.length === 1 ? `${first!.name} is ${first!.state === 'missing' ? 'missing' : 'late'}` : `${list.length.toLocaleString('en')} files are late${missing > 0 ? `, ${missing.toLocaleString('en')} of them missing` : ''}`}`,
    text: `${list.slice(0, 3).map(({ row }) => row).join(', ')}${list.length > 3 ? ' and others' : ''}, for ${first!.slice.label}`,
    count: list.length,
    run: null,
    job: first!.job,
    connection: null,
    latest: first!.due ?? first!.slice.to,
  }
} // prettier-ignore
