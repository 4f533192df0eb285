import { z } from 'zod'
import { rights, roleNames } from '../core/rights'
import { id } from './common'
import { route } from './route'

const role = z.enum(roleNames).describe('what kind of account it is: reader, operator, engineer or keeper')
const environments = z
  .record(z.string().max(100), role)
  .describe('what they are in single environments, where that is something else')
const atMost = z.enum(rights).describe('what it may do at most: look, run, build or house')
const handle = z.object({ handle: z.string().regex(/^[0-9a-f]{16}$/) })

/** A browser that somebody signed in with. */
const signInSchema = z
  .object({
    handle: z.string().describe('by which it is ended; it signs nobody in'),
    agent: z.string().describe('what the browser says it is'),
    createdAt: z.string(),
    seenAt: z.string().describe('when it was last used, to the minute (ISO 8601)'),
    expiresAt: z.string().describe('when it ends in any case (ISO 8601)'),
    own: z.boolean().describe('is it the one that asks'),
  })
  .meta({ id: 'SignIn', description: 'a browser that an account is signed in with' })

const tokenSchema = z
  .object({
    handle: z.string().describe('by which it is taken back; it opens nothing'),
    name: z.string().describe('what it is for'),
    atMost,
    createdAt: z.string(),
    usedAt: z.string().nullable().describe('when it was last used, to the minute (ISO 8601); null for never'),
    expiresAt: z.string().nullable().describe('when it ends (ISO 8601); null where it is taken back by hand'),
  })
  .meta({ id: 'Token', description: 'what a script signs in with' })

const personSchema = z
  .object({
    id: z.number(),
    email: z.string(),
    name: z.string(),
    role,
    environments,
    createdAt: z.string(),
    seenAt: z.string().nullable().describe('when they last did anything (ISO 8601); null for never'),
    signIns: z.number().describe('browsers they are signed in with'),
    tokens: z.number().describe('tokens that stand for them'),
    own: z.boolean().describe('is it who asks'),
  })
  .meta({ id: 'Person', description: 'an account' })

/** Who may come in, and by what. */
export const accessRoutes = {
  signIns: route({
    method: 'get',
    path: '/api/access/sign-ins',
    summary: 'the browsers that I am signed in with',
    response: z.array(signInSchema),
  }),
  endSignIn: route({
    inPerson: true,
    needs: 'look',
    method: 'delete',
    path: '/api/access/sign-ins/:handle',
    summary: 'end one of my sign-ins; its streams end with it',
    params: handle,
  }),
  tokens: route({
    method: 'get',
    path: '/api/access/tokens',
    summary: 'the tokens that stand for me',
    response: z.array(tokenSchema),
  }),
  makeToken: route({
    inPerson: true,
    needs: 'look',
    method: 'post',
    path: '/api/access/tokens',
    summary: 'make a token for a script; it is told this once',
    body: z.object({
      name: z.string().trim().min(1, 'needs a value').max(100).describe('what it is for'),
      atMost,
      days: z.int().min(1).max(366).nullable().describe('after how many days it ends; null for never'),
    }),
    response: z.object({ token: z.string().describe('the token; it is not kept, and not told again') }),
  }),
  takeToken: route({
    inPerson: true,
    needs: 'look',
    method: 'delete',
    path: '/api/access/tokens/:handle',
    summary: 'take a token back; it opens nothing from then on',
    params: handle,
  }),
  people: route({
    needs: 'house',
    method: 'get',
    path: '/api/people',
    summary: 'all accounts, and what they may do',
    response: z.array(personSchema),
  }),
  invitePerson: route({
    inPerson: true,
    needs: 'house',
    method: 'post',
    path: '/api/people/invitations',
    summary: 'make the code of an address at which one person makes an account; it holds once, for a week',
    body: z.object({ role }),
    response: z.object({ code: z.string().describe('the code; the address is /first#code') }),
  }),
  changePerson: route({
    inPerson: true,
    needs: 'house',
    method: 'put',
    path: '/api/people/:id',
    summary: 'change what an account may do; one keeper stays',
    params: id,
    body: z.object({ role, environments }),
    faults: ['conflict'],
  }),
  removePerson: route({
    inPerson: true,
    needs: 'house',
    method: 'delete',
    path: '/api/people/:id',
    summary: 'remove an account with its sign-ins and tokens; what it did stays; one keeper stays',
    params: id,
    faults: ['conflict'],
  }),
} as const
