import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { timeText } from '../../look/times'

export type Outlook = Answer<typeof routes.starts>
export type Played = Answer<typeof routes.playStarts>
export type OutlookJob = Outlook['jobs'][number]
export type OutlookStart = OutlookJob['starts'][number]
export type ForeseenRun = Outlook['foreseen'][number]
export type Pause = Outlook['pauses'][number]

/** A start as it would be, with its words. */
export interface Moved {
  readonly job: string
  readonly start: string
  readonly given: Readonly<Record<string, unknown>>
}

/** What is chosen in the picture: a job, and of it a start. */
export interface Chosen {
  readonly job: string
  readonly start?: string | undefined
}

/** When a run that is foreseen will be done, in words. */
export const likelyWords = ({
  unknown,
  stuck,
  givesUp,
  ends,
}: Pick<ForeseenRun, 'unknown' | 'stuck' | 'givesUp' | 'ends'>): string =>
  stuck !== null
    ? `waits for ${stuck}, and nothing that is to begin brings that${givesUp === null ? '' : ` before it has waited as long as it may, ${timeText(givesUp)}: it fails then`}`
    : unknown
      ? 'how long it takes is not known'
      : `likely done ${timeText(ends)}`
