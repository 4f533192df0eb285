import { z } from 'zod'
import { connectionKinds, connectorOf } from '../connection/connection'
import { needsSchema } from '../connection/needs'

/** A connection as a document. Secrets do not stand in it, only the names of the variables that hold them. */
export const connectionSchema = z
  .strictObject({
    mattock: z.literal('connection/1').describe('what the document is'),
    name: z.string().regex(/^[a-z][a-z0-9_-]*$/, 'lower-case letters, digits, - and _'),
    kind: z.enum(connectionKinds),
    title: z.string().min(1).describe('what it is called'),
    cap: z
      .int()
      .min(1)
      .nullable()
      .default(null)
      .describe('loads that may use it at once; left out, there is no cap'),
    needs: needsSchema
      .default([])
      .describe('tags that a worker must have to reach it; left out, every worker does'),
    settings: z
      .record(z.string(), z.record(z.string(), z.union([z.string(), z.number()])))
      .default({})
      .describe('settings by environment'),
    secret_from: z
      .record(z.string(), z.string().regex(/^[A-Za-z_][A-Za-z0-9_]*$/, 'the name of a variable'))
      .default({})
      .describe('by environment, the environment variable that holds the secret while the document is put'),
  })
  .superRefine(({ kind, settings, secret_from }, context) => {
    for (const [environment, own] of Object.entries(settings)) {
      const checked = connectorOf(kind).settings.safeParse(own)
      for (const issue of checked.error?.issues ?? [])
        context.addIssue({
          code: 'custom',
          path: ['settings', environment, ...issue.path],
          message: issue.message,
        })
    }
    for (const environment of Object.keys(secret_from))
      if (!Object.hasOwn(settings, environment))
        context.addIssue({
          code: 'custom',
          path: ['secret_from', environment],
          message: `there are no settings for ${environment}`,
        })
  })

export type ConnectionDocument = z.output<typeof connectionSchema>
