import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'

export type TryAnswer = Answer<typeof routes.try>
export type TryStep = TryAnswer['loads'][number]['steps'][number]
