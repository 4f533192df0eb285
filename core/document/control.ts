import { z } from 'zod'
import { valueTypes } from '../value'

/** What a column of a control table asks of its cells. */
export const cellRulesSchema = z.object({
  required: z.boolean().optional(),
  one_of: z.array(z.string()).optional(),
  names: z.enum(['connection', 'dataset']).optional(),
  unique: z.boolean().optional(),
  holds: z.string().optional(),
  note: z.string().optional(),
})

const cell = z.union([z.string(), z.number(), z.boolean(), z.null()])

/** A control table as a document. */
export const controlSchema = z
  .strictObject({
    mattock: z.literal('control/1').describe('what the document is'),
    name: z.string().regex(/^[a-z][a-z0-9_]{0,62}$/, 'lower-case letters, digits and _'),
    title: z.string().min(1).describe('what it says'),
    table: z
      .strictObject({ connection: z.string().min(1), schema: z.string().min(1), table: z.string().min(1) })
      .optional()
      .describe('a table that stands in a Postgres database; left out, it is made in Mattock’s own'),
    key: z.array(z.string().min(1)).min(1).describe('columns that tell rows apart'),
    columns: z
      .record(z.string().min(1), z.enum(valueTypes))
      .describe('columns and their types, in their order'),
    rules: z
      .record(z.string(), cellRulesSchema.strict())
      .default({})
      .describe('what cells must keep to, by column'),
    rows: z
      .array(z.record(z.string(), cell))
      .default([])
      .describe('values by column; what is left out is empty'),
  })
  .superRefine(({ key, columns, rules, rows }, context) => {
    const stray = (name: string, path: (string | number)[]) => {
      if (!Object.hasOwn(columns, name))
        context.addIssue({ code: 'custom', path, message: `there is no column "${name}" above` })
    }
    key.forEach((name, i) => stray(name, ['key', i]))
    for (const name of Object.keys(rules)) stray(name, ['rules', name])
    const seen = new Map<string, number>()
    rows.forEach((row, i) => {
      for (const name of Object.keys(row)) stray(name, ['rows', i, name])
      const id = JSON.stringify(key.map((name) => row[name] ?? null))
      const first = seen.get(id)
      if (first !== undefined)
        context.addIssue({ code: 'custom', path: ['rows', i], message: `row ${first + 1} has the same key` })
      else seen.set(id, i)
    })
  })

export type ControlDocument = z.output<typeof controlSchema>
