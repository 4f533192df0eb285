import { z } from 'zod'
import { decisionKinds } from '../core/decisionKinds'
import { name, numberInAddress, page } from './common'
import { route } from './route'

const at = z.string().describe('ISO 8601 instant')

/** A rule as the page and its form hold it; the server reads it with the schema of rules. */
const ruleGiven = z
  .record(z.string(), z.unknown())
  .describe('the rule: name, title, in, zone, tells (matters or summary) and to (mail or webhook)')

const toldSchema = z.object({
  what: z.enum(['new', 'again', 'cleared']).describe('is it new, still so, or over'),
  news: z.object({
    cause: z.string().describe('what lies behind it: things of one cause are one alert'),
    kind: z.enum(decisionKinds),
    job: z.string().nullable(),
    title: z.string(),
    text: z.string(),
    count: z.number().describe('things of this cause'),
    since: z.number().describe('milliseconds since 1970'),
  }),
})

const ruleSchema = z
  .object({
    rule: ruleGiven,
    active: z.boolean().describe('it tells'),
    updatedBy: z.string(),
    updatedAt: z.string(),
    says: z.string().describe('what it tells of, in words'),
    to: z.array(z.string()).describe('whom it tells, in words'),
    open: z.number().describe('causes that stand under it'),
    sent: z.array(z.number()).describe('messages on each of the last 30 days, the oldest first'),
    failed: z.number().describe('messages of these days that nobody took'),
    latest: z.string().nullable().describe('when it last told'),
  })
  .meta({ id: 'AlertRule', description: 'who is told of what' })

const messageSchema = z
  .object({
    id: z.number(),
    rule: z.string().describe('the name of its rule'),
    title: z.string().describe('what the rule is called'),
    at,
    type: z.string().describe('mattock.alert, mattock.summary or mattock.trial'),
    to: z.string().describe('whom it reaches, in words'),
    subject: z.string(),
    text: z.string(),
    told: z.array(toldSchema).describe('what it tells'),
    state: z.enum(['waiting', 'taken', 'failed']).describe('to be sent, taken, or given up'),
    tries: z.number().describe('how often it was sent'),
    nextAt: z.string().describe('when it is sent again, where it waits'),
    said: z.string().nullable().describe('what was said to it, or why it could not be sent'),
    endedAt: z.string().nullable(),
  })
  .meta({ id: 'AlertMessage', description: 'a message to one address' })

const inBody = z.object({ environment: z.string() })

/** Who is told of what, and what was sent. */
export const alertRoutes = {
  alerts: route({
    method: 'get',
    path: '/api/alerts',
    summary: 'the rules by which people are told, with what they sent lately',
    query: z.object({ environment: z.string() }),
    response: z.object({
      rules: z.array(ruleSchema),
      people: z.array(z.string()).describe('addresses of people, for who may say whom to tell'),
    }),
  }),
  alertMessages: route({
    method: 'get',
    path: '/api/alerts/messages',
    summary: 'what was sent, and whether it was taken, the newest first',
    query: z.object({
      environment: z.string(),
      rule: z.string().optional().describe('only those of a rule, by its name'),
      state: messageSchema.shape.state.optional(),
      ...page,
    }),
    response: z.object({ total: z.number(), messages: z.array(messageSchema) }),
  }),
  saveAlert: route({
    needs: 'run',
    method: 'post',
    path: '/api/alerts',
    summary: 'keep a rule, a new one or one that was changed',
    body: z.object({
      rule: ruleGiven,
      before: z.string().nullable().describe('updatedAt of the rule as it was read; null for a new one'),
    }),
    faults: ['conflict'],
  }),
  dropAlert: route({
    needs: 'run',
    method: 'delete',
    path: '/api/alerts/:name',
    summary: 'take a rule away; what it sent stays',
    params: name,
  }),
  setAlert: route({
    needs: 'run',
    method: 'post',
    path: '/api/alerts/:name/active',
    summary: 'let a rule tell, or let it be silent',
    params: name,
    body: z.object({ active: z.boolean().describe('it tells') }),
  }),
  tryAlert: route({
    needs: 'run',
    method: 'post',
    path: '/api/alerts/:name/try',
    summary: 'send a trial message to everybody whom a rule tells',
    params: name,
    body: inBody,
  }),
  playAlert: route({
    needs: 'look',
    method: 'post',
    path: '/api/alerts/play',
    summary: 'what a rule would have sent over the last 60 days',
    body: inBody.extend({ rule: ruleGiven }),
    response: z.object({
      from: at,
      until: at,
      knownFrom: z.string().describe('what stood is known from here on'),
      total: z.number().describe('messages it would have sent'),
      messages: z.array(
        z.object({ at, subject: z.string(), told: z.array(toldSchema).describe('what it tells') }),
      ),
      days: z.array(z.number()).describe('messages a day, the oldest first'),
    }),
  }),
  sendAlertAgain: route({
    needs: 'run',
    method: 'post',
    path: '/api/alerts/messages/:id/again',
    summary: 'send once more what was given up',
    params: z.object({ id: numberInAddress }),
  }),
}
