import { z } from 'zod'
import type { RosterContext } from '../../roster/context'
import { patternTokens } from '../../roster/filePattern'
import type { Table } from '../../value'
import { columnNames, field, fieldMeta, fieldsOf, type FieldMeta } from '../../field/field'
import { givenKind, kindsIn, optionalKinds, type Given } from '../kinds'
import { control } from './control'
import { datasets } from './datasets'
import type { RosterDefinition } from './definition'
import { file } from './file'
import { files } from './files'
import { query } from './query'
import { range } from './range'
import { rows } from './rows'

/** Every kind of roster. */
export const rosters = { control, query, file, datasets, files, range, rows }

export type RosterKind = keyof typeof rosters
export const rosterKinds = Object.keys(rosters) as RosterKind[]

type Definitions = typeof rosters
type SourceOf<K extends RosterKind> = ReturnType<NonNullable<Definitions[K]['source']>>
/** The kinds whose rows the engine reads. */
export type ReadKind = { [K in RosterKind]: [SourceOf<K>] extends [never] ? never : K }[RosterKind]
/** Where the rows of a roster come from, with every text resolved. */
export type RosterSource<Kind extends ReadKind = ReadKind> = {
  [K in Kind]: { readonly kind: K } & Readonly<SourceOf<K>>
}[Kind]

/** What every kind of roster may have besides. */
export const rosterShape = {
  where: field(z.string(), { rare: true })
    .optional()
    .describe('an expression; rows for which it is true stay'),
  sort: field(z.array(z.string()), { rare: true })
    .optional()
    .describe('columns; -column for the largest first'),
  key: columnNames.optional().describe('the columns that name a load'),
  prefix: field(z.string(), { rare: true }).optional().describe('goes before the name of each column'),
  exactly_one: field(z.boolean(), { rare: true, label: 'exactly one' })
    .default(false)
    .describe('one row is meant; with inner: one for each outer row'),
}

const base = z.strictObject({ ...optionalKinds(rosters), ...rosterShape })

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
  .refine((roster) => kindsIn(rosters, roster).length === 1, {
    message: `a roster is one of ${rosterKinds.slice(0, -1).join(', ')} or ${rosterKinds.at(-1)}`,
  })
  .register(fieldMeta, { oneKind: rosters })

/** Which kind of roster it is, and what it is given. */
const rosterOfSpec = (spec: RosterSpec): Given<Definitions> => givenKind(rosters, spec)

/** The definition of a roster, ready for what it is given. */
function own(spec: RosterSpec): { definition: RosterDefinition; given: unknown; kind: RosterKind } {
  const { kind, spec: given } = rosterOfSpec(spec)
  return { definition: rosters[kind] as unknown as RosterDefinition, given, kind }
}

/**
 * Where a roster is read from. @throws FaultError `unknown-name`, `syntax`, `template`, `expression`, `empty-value`,
 * `outside-store`
 */
export function rosterSource(spec: RosterSpec, context: RosterContext): RosterSource {
  const { definition, given, kind } = own(spec)
  if (!definition.source) throw new Error(`a roster of kind ${kind} is not read`)
  return { kind, ...(definition.source(given, context) as object) } as RosterSource
}

/** The rows of a roster that needs no reading; undefined for the others. @throws FaultError `roster` */
export function wholeTable(spec: RosterSpec, context: RosterContext): Table | undefined {
  const { definition, given } = own(spec)
  return definition.table?.(given, context)
}

/** What is said of a roster in every plan. */
export function rosterNote(
  spec: RosterSpec,
  rowCount: number,
): { kind: RosterKind; text: string } | undefined {
  const { definition, given, kind } = own(spec)
  const text = definition.note?.(given, rowCount)
  return text === undefined ? undefined : { kind, text }
}

/** A roster in words. */
export function rosterText(spec: RosterSpec): string {
  const { definition, given } = own(spec)
  const words = `${spec.exactly_one ? 'the one row of ' : ''}${definition.text(given)}`
  const filtered = spec.where ? `${words} where ${spec.where}` : words
  return spec.inner ? `${filtered}, and for each: ${rosterText(spec.inner)}` : filtered
}

/** What of connections the rows of a job's rosters show. */
export const rostersShow = ({
  parts,
}: {
  readonly parts: readonly { readonly each?: { readonly roster: RosterSpec } | undefined }[]
}) =>
  parts.flatMap(({ each }) =>
    each
      ? nestedRosters(each.roster).flatMap(({ spec }) => {
          const { definition, given } = own(spec)
          return definition.shows?.(given as never) ?? []
        })
      : [],
  )

/** What a roster itself names: connections and control tables, each with its key. */
export function namesIn(spec: RosterSpec): { key: string; names: FieldMeta['names']; text: string }[] {
  const { definition, given, kind } = own(spec)
  if (typeof given === 'string')
    return [{ key: kind, names: fieldMeta.get(definition.schema)?.names, text: given }]
  return fieldsOf(definition.schema).flatMap(({ key, names }) => {
    const text = (given as Readonly<Record<string, unknown>>)[key]
    return names !== undefined && typeof text === 'string' ? [{ key: `${kind}.${key}`, names, text }] : []
  })
}

/** The expressions in a roster's own texts, as they are written, for finding out which names it uses. */
export function rosterExpressions(spec: RosterSpec): string[] {
  const { definition, given } = own(spec)
  const inTexts = definition
    .texts(given)
    .flatMap((text) =>
      typeof text === 'string'
        ? patternTokens(text).flatMap((token) => (token.kind === 'expression' ? [token.source] : []))
        : [],
    )
  return [...inTexts, ...(spec.where === undefined ? [] : [spec.where])]
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
