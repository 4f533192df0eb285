import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type Proposal = Answer<typeof routes.surveyProposals>['proposals'][number]
