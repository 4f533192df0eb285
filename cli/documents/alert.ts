import { stringify } from 'yaml'
import { routes } from '../../contract/routes'
import { alertRuleSchema, type AlertRule } from '../../core/alert/rule'
import { ApiError, type Api } from '../api'
import type { Carrier } from './definition'

export const alert: Carrier<'alert'> = {
  put: async (api, { value }) => {
    const { mattock: _kind, ...rule } = value
    const before = await ruleOf(api, rule.name)
    if (before && stringify(before.rule) === stringify(rule)) return 'as it was'
    await api.call(routes.saveAlert, { body: { rule, before: before?.updatedAt ?? null } })
    return before ? 'changed' : 'added'
  },
  names: async (api, environment) =>
    (await api.call(routes.alerts, { query: { environment } })).rules.map(({ rule }) => String(rule.name)),
  get: async (api, name) => {
    const found = await ruleOf(api, name)
    if (!found) throw new ApiError(`there is no rule of alerts "${name}"`, 'unknown-name')
    return stringify({ mattock: 'alert/1', ...found.rule }, { lineWidth: 0 })
  },
}

/** A rule, in whichever environments it looks. */
async function ruleOf(api: Api, name: string): Promise<{ rule: AlertRule; updatedAt: string } | undefined> {
  const { environments } = await api.call(routes.session)
  for (const { name: environment } of environments) {
    const { rules } = await api.call(routes.alerts, { query: { environment } })
    const found = rules.find(({ rule }) => rule.name === name)
    // read by its schema its keys are in their order, so that two that are the same read the same
    if (found) return { rule: alertRuleSchema.parse(found.rule), updatedAt: found.updatedAt }
  }
  return undefined
}
