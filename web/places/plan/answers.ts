import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type PlanAnswer = Answer<typeof routes.plan>
export type LoadRow = Answer<typeof routes.planLoads>['loads'][number]
