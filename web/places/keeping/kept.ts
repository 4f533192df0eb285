import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { count } from '../../look/times'

export type Kept = Answer<typeof routes.kept>[number]

/** How long it is kept, in words. */
export const daysText = (days: number | null): string => (days === null ? 'for ever' : count(days, 'day'))
