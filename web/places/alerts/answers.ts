import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import type { AlertRuleGiven } from '../../../core/alert/rule'

export type ListedRule = Answer<typeof routes.alerts>['rules'][number]
export type Message = Answer<typeof routes.alertMessages>['messages'][number]
export type Played = Answer<typeof routes.playAlert>

/** A rule as it is kept. */
export const ruleOf = ({ rule }: ListedRule): AlertRuleGiven => rule as AlertRuleGiven
