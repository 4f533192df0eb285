import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

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
