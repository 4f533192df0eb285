import { alertRuleSchema, type AlertRule } from '../../core/alert/rule'
import { fail } from '../../core/fault'
import { may } from '../../core/rights'
import { environmentOfMessage, listMessages, listRules, sendAgain } from '../../engine/alerts/log'
import { footOf } from '../../engine/alerts/foot'
import { putOut } from '../../engine/alerts/post'
import { dropRule, ruleNamed, saveRule, setActive } from '../../engine/alerts/rules'
import { addressesOfPeople } from '../../engine/watching/matters'
import { plannerOf } from '../planner'
import type { Account } from '../auth'
import type { Handlers } from '../handler'

/** A rule as it was sent. @throws FaultError `request` with the path of what is wrong */
function ruleOf(given: unknown): AlertRule {
  const read = alertRuleSchema.safeParse(given)
  if (read.success) return read.data
  const [issue] = read.error.issues
  return fail('request', issue!.message, { path: issue!.path.join('.') })
}

/** Who runs things in an environment says who is told of them. @throws FaultError `forbidden` */
function holdTo(account: Account, { in: environments }: Pick<AlertRule, 'in'>): void {
  for (const environment of environments)
    if (!may(account, 'run', environment))
      fail('forbidden', `this account may not say who is told of ${environment}`)
}

export const alertHandlers: Pick<
  Handlers,
  'alerts' | 'alertMessages' | 'saveAlert' | 'dropAlert' | 'setAlert' | 'tryAlert' | 'playAlert' | 'sendAlertAgain'
> = {
  alerts: async ({ engine, account }, { query }) => ({
    rules: await listRules(engine, query.environment),
    people: may(account, 'run', query.environment) ? await addressesOfPeople(engine) : [],
  }),
  alertMessages: async ({ engine }, { query }) => (await listMessages(engine, query)) as never,
  saveAlert: async ({ engine, account }, { body }) => {
    const rule = ruleOf(body.rule)
    holdTo(account, rule)
    if (body.before !== null) holdTo(account, (await ruleNamed(engine, rule.name)).rule)
    await saveRule(engine, rule, body.before, account.name)
    return {}
  },
  dropAlert: async ({ engine, account }, { params }) => {
    holdTo(account, (await ruleNamed(engine, params.name)).rule)
    await dropRule(engine, params.name)
    return {}
  },
  setAlert: async ({ engine, account }, { params, body }) => {
    holdTo(account, (await ruleNamed(engine, params.name)).rule)
    await setActive(engine, params.name, body.active)
    return {}
  },
  tryAlert: async ({ engine, account }, { params, body: { environment } }) => {
    const { rule } = await ruleNamed(engine, params.name)
    holdTo(account, rule)
    if (!rule.in.includes(environment)) fail('request', `the rule does not look at ${environment}`, { path: 'environment' }) // prettier-ignore
    await putOut(engine.db.$client, rule, {
      environment,
      type: 'mattock.trial',
      subject: `${environment}: a trial of the rule "${rule.title}"`,
      text: ['A trial: nothing has happened.', ...footOf(rule, environment, undefined)].join('\n'),
      told: [],
    })
    return {}
  },
  playAlert: async (asked, { body }) => (await plannerOf(asked, 'playOver', body.environment, ruleOf(body.rule))) as never,
  sendAlertAgain: async ({ engine, account }, { params }) => {
    holdTo(account, { in: [await environmentOfMessage(engine, params.id)] })
    await sendAgain(engine, params.id)
    return {}
  },
} // prettier-ignore
