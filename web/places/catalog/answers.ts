import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type DatasetData = Answer<typeof routes.dataset>
