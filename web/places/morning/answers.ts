import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type MorningSheet = Answer<typeof routes.morning>
export type Decision = MorningSheet['decisions'][number]
