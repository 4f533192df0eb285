import { lengthWords } from '../../core/schedule/words'
import type { Outlook } from '../scheduling/outlook'
import { lateRuns } from '../scheduling/trouble'
import type { Decision } from './decision'

/** Runs that will likely be late, and those that are: of each job the first. `other` is the same with more workers. */
export function lateOnes(outlook: Outlook, other: Outlook | undefined, at: Date): Decision[] {
  const titles = new Map(outlook.jobs.map(({ job, title }) => [job, title]))
  return lateRuns(outlook, other).map(({ run, by, kept }) => {
    const title = titles.get(run.job) ?? run.job
    const over = at.getTime() - Date.parse(run.due!)
    const ahead = run.stuck === null ? `${title} will likely be late by ${by}` : `${title} will be late: it waits for ${run.stuck}`
    const until = run.givesUp === null ? '' : ', and fails when it has waited as long as it may'
    const because = run.stuck === null ? `more places at workers would not change that: it begins ${run.after.length > 0 ? 'when what it waits for is done' : 'at its time'}, and takes as long as it usually does` : over >= 0 ? `it waits for ${run.stuck}, and nothing that is to begin brings that${until}` : `nothing that is to begin brings that${until}`
    return {
      kind: over >= 0 ? 'overdue' : 'late',
      key: `late ${run.job} ${run.due}`,
      title: over >= 0 ? `${title} is late, by ${lengthWords(over)} so far` : ahead,
      text: kept ?? because,
      count: 1,
      run: run.run,
      job: run.job,
      connection: null,
      latest: run.due!,
    }
  })
} // prettier-ignore
