import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type Connection = Answer<typeof routes.connections>[number]
