import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type JobAnswer = Answer<typeof routes.job>
export type OutlineAnswer = JobAnswer['outline']
