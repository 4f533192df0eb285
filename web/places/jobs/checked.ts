import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type Checked = Answer<typeof routes.checkDocuments>
