import { z } from 'zod'
import { keptKinds, type KeptKind } from '../core/keeping/kinds'
import { route } from './route'

/** How long records are kept, and how much of them there is. */

const days = z.number().int().min(1).max(36_500).nullable().describe('days that it is kept; null for ever')

const keptSchema = z
  .object({
    kind: z.enum(keptKinds as [KeptKind, ...KeptKind[]]).describe('what is kept'),
    title: z.string(),
    says: z.string().describe('what goes with it'),
    days,
    fewest: z.number().describe('the fewest days that may be set'),
    setBy: z.string().nullable().describe('who set the days; null where they are as they came'),
    count: z.number().describe('how many there are'),
    oldest: z.string().nullable().describe('when the oldest was made (ISO 8601); null for none'),
    bytes: z.number().describe('size in the store and in the data folder'),
    goes: z.number().describe('how many are older than they are to be kept, and go the next time'),
  })
  .meta({ id: 'Kept', description: 'how much there is of one kind of record, and how long it is kept' })

const sweptSchema = z
  .object({
    kind: z.string().describe('what was left behind'),
    title: z.string(),
    says: z.string().describe('by what'),
    total: z.number().describe('how many were taken away so far'),
    last: z.number().describe('how many of them the last time'),
    at: z.string().nullable().describe('the last time that there was any (ISO 8601); null for never'),
  })
  .meta({ id: 'Swept', description: 'what was left behind by what ended in the middle, and was taken away' })

const kind = z.object({ kind: keptSchema.shape.kind })

export const keepingRoutes = {
  kept: route({
    method: 'get',
    path: '/api/kept',
    summary: 'what is kept, how much of it, and for how long',
    response: z.array(keptSchema),
  }),
  swept: route({
    method: 'get',
    path: '/api/kept/swept',
    summary: 'what was left behind by what ended in the middle, and was taken away',
    response: z.array(sweptSchema),
  }),
  wouldGo: route({
    method: 'get',
    path: '/api/kept/:kind/goes',
    summary: 'how many would go, if they were kept for so many days',
    params: kind,
    query: z.object({ days: z.coerce.number().int().min(1).max(36_500).optional() }),
    response: z.object({ goes: z.number().describe('how many would go') }),
    needs: 'house',
  }),
  keepFor: route({
    needs: 'house',
    method: 'put',
    path: '/api/kept/:kind',
    summary: 'set how long records of a kind are kept; what is older goes within the hour',
    params: kind,
    body: z.object({ days }),
    faults: ['request'],
  }),
  tidy: route({
    needs: 'house',
    method: 'post',
    path: '/api/kept/tidy',
    summary: 'take away now what is older than it is to be kept; a worker does it',
  }),
} as const
