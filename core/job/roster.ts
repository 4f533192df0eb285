import { z } from 'zod'
import { readingShape, template } from './transfer'

export const scalar = z.union([z.string(), z.number(), z.boolean(), z.null()])
export const columnName = z.string().min(1)

export const rosterKinds = ['control', 'query', 'file', 'datasets', 'files', 'range', 'rows'] as const
export type RosterKind = (typeof rosterKinds)[number]

const bound = z.union([z.number(), z.string()])

const base = z.strictObject({
  control: z.string().optional().describe('name of a control table'),
  query: z
    .strictObject({ on: template, text: template })
    .optional()
    .describe('the rows a SELECT gives; expressions in it are bound values'),
  file: z
    .strictObject({
      store: template,
      path: template.describe('path in the store; * and ? match within a name'),
      ...readingShape,
    })
    .optional()
    .describe('the rows of a file'),
  datasets: z
    .strictObject({
      named: z.string().min(1).default('*').describe('* and ? match letters of the name'),
      connection: z.string().optional(),
      tag: z.string().optional(),
    })
    .optional()
    .describe('datasets of the catalog'),
  files: z
    .strictObject({
      store: template,
      named: template.describe(
        'path in the store; {district} and {date:yyyyMMdd} are parts of the name that become columns',
      ),
      subfolders: z.boolean().default(false).describe('true: in folders below, too'),
    })
    .optional()
    .describe('files of a store, one row each'),
  range: z
    .strictObject({
      as: columnName.default('value'),
      from: bound,
      to: bound.describe('included'),
      step: bound.default(1).describe('a number, or an ISO 8601 duration'),
    })
    .optional()
    .describe('numbers or dates, both ends included'),
  rows: z.array(z.record(z.string(), scalar)).optional().describe('rows typed in'),
  where: z.string().optional().describe('an expression; rows for which it is true stay'),
  sort: z.array(z.string()).optional().describe('columns; -column for the largest first'),
  key: z.array(columnName).min(1).optional().describe('the columns that name a load'),
  prefix: z.string().optional().describe('goes before the name of each column'),
  exactly_one: z.boolean().default(false).describe('one row is meant; with inner: one for each outer row'),
})

/** What rows a part loops over. `inner` is looped over for each row; its texts see the outer row. */
export type RosterSpec = z.output<typeof base> & { readonly inner?: RosterSpec | undefined }
type RosterInput = z.input<typeof base> & { readonly inner?: RosterInput | undefined }

export const rosterSchema: z.ZodType<RosterSpec, RosterInput> = base
  .extend({
    inner: z
      .lazy(() => rosterSchema)
      .optional()
      .describe('a roster for each row of this one'),
  })
  .refine((roster) => rosterKinds.filter((kind) => roster[kind] !== undefined).length === 1, {
    message: `a roster is one of ${rosterKinds.slice(0, -1).join(', ')} or ${rosterKinds.at(-1)}`,
  })

export function rosterKind(spec: RosterSpec): RosterKind {
  return rosterKinds.find((kind) => spec[kind] !== undefined)!
}

/** A roster and those inside it, outermost first, each with its path below the outermost. */
export function nestedRosters(spec: RosterSpec, path = ''): { spec: RosterSpec; path: string }[] {
  return [
    { spec, path },
    ...(spec.inner ? nestedRosters(spec.inner, path === '' ? 'inner' : `${path}.inner`) : []),
  ]
}

/** Names of the control tables that some parts loop over. */
export function controlsOf(
  parts: readonly { readonly each?: { readonly roster: RosterSpec } | undefined }[],
): Set<string> {
  return new Set(
    parts.flatMap(({ each }) =>
      each ? nestedRosters(each.roster).flatMap(({ spec }) => spec.control ?? []) : [],
    ),
  )
}
