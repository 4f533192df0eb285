import { replaces, type Transfer } from '../../core/job/steps/transfer'
import { stepFault, type Outcome } from '../context/step'
import type { EmptySource, OpenSource } from '../reading/source'

/** Waits for the counts that were made beside the reading, and notes them. */
export async function noteCounts(source: OpenSource | EmptySource, outcome: Outcome) {
  const counted = await source.counted
  outcome.files.push(...counted.files)
  outcome.bytes = counted.bytes
  return counted
}

/** Holds the rows that cannot be written to what the job allows. @throws StepFault `rejects` */
export function checkRejects(spec: Transfer, read: number, rejected: number, outcome: Outcome): void {
  const { rejects } = spec
  if (rejected === 0) return
  if (rejects === 'keep') {
    // most likely another file came than was meant; what stands there is worth more than a few rows of it
    if (replaces(spec) !== 'nothing' && rejected * 2 > read)
      stepFault(
        'rejects',
        `${rejected.toLocaleString('en')} of ${read.toLocaleString('en')} rows cannot be written, and what stands there would be replaced by the few that can`,
        'look at the rejects; to replace it all the same, say so with rejects: {share: 1}',
      )
    return
  }
  const reasons = Object.entries(outcome.rejectReasons)
    .map(([reason, n]) => `${reason} (${n})`)
    .join('; ')
  const limit = rejects === 'fail' ? 0 : 'up_to' in rejects ? rejects.up_to : Math.floor(rejects.share * read)
  if (rejected <= limit) return
  stepFault(
    'rejects',
    `${rejected.toLocaleString('en')} of ${read.toLocaleString('en')} rows cannot be written, ${limit === 0 ? 'none is' : `${limit} are`} allowed: ${reasons}`,
    'look at the rejects, mend the source, or allow more with rejects',
  )
}
