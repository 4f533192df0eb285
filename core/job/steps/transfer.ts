import { z } from 'zod'
import { digitsOfDecimal } from '../../catalog/types'
import { formats, type FileKind } from '../../files/formats'
import { columnRules, columnRuleWords } from '../../shape/shape'
import { tableText } from '../../text/slot'
import { valueTypes } from '../../value'
import { someNames, type Beginnings } from '../beginnings'
import { checkDefinition, checkOf, checkText, rowCheckSchema } from '../checks'
import { columnName, field, template } from '../../field/field'
import { fromSchema, sources, type From } from '../sources'
import { intoSchema, targets } from '../targets'
import { writeOf, type WriteMode } from '../writes'
import { defineStep, type Setting, type TableTouch } from './definition'

const shapeSchema = z.strictObject({
  columns: z
    .strictObject({
      type: z.enum(valueTypes).optional().describe('columns of this type'),
      named: field(z.string(), { usual: 'any; * stands for letters' })
        .optional()
        .describe('a name, * matches any letters'),
    })
    .default({})
    .describe('which columns; all of text where nothing is said'),
  apply: z
    .array(field(z.enum(columnRules), { words: columnRuleWords }))
    .min(1)
    .describe('what is done to each, in order'),
})

const columnTypeSchema = z.union(
  [z.enum(valueTypes), z.templateLiteral(['decimal(', z.string().regex(digitsOfDecimal), ')'])],
  { error: `one of ${valueTypes.join(', ')}, or decimal(12,2)` },
)

const rejectsSchema = z.union([
  z.enum(['fail', 'keep']),
  z.strictObject({ up_to: z.int().min(0).describe('rows that may be rejected') }),
  z.strictObject({ share: z.number().min(0).max(1).describe('share of the rows read, from 0 to 1') }),
])
export type RejectRule = z.output<typeof rejectsSchema>

const sinceSchema = z.strictObject({
  column: columnName.describe('the column of the source that grows, such as a number or a time of change'),
  kept_as: template({ as: 'text', label: 'kept as', column: 'mark' }).describe(
    'name of the mark, which lies beside the target and moves with the load’s own transaction',
  ),
})

const transferSchema = z
  .strictObject({
    from: fromSchema.describe('where the rows come from'),
    into: intoSchema.describe('where they go'),
    since: field(sinceSchema, { rare: true, label: 'only what is new' })
      .optional()
      .describe('only rows past the mark that the last load left, from a table or query into a table'),
    columns: field(z.record(columnName, columnName), { label: 'columns by other names' })
      .optional()
      .describe('target column: source column, where the names differ'),
    types: field(z.record(columnName, columnTypeSchema), { label: 'types of a target that is made' })
      .optional()
      .describe(
        'types for a target that is not there yet, or for files; decimal(12,2) holds 12 digits, 2 of them behind the point',
      ),
    shape: field(z.array(shapeSchema), { label: 'done to columns on the way' })
      .optional()
      .describe('what is done to values on their way'),
    check: field(z.array(rowCheckSchema), { label: 'checked before anything is written' })
      .optional()
      .describe('held before anything is written'),
    rejects: field(rejectsSchema, {
      label: 'rows that do not fit',
      words: {
        fail: 'the first fails the load',
        keep: 'are all kept',
        up_to: 'are kept, up to a number',
        share: 'are kept, up to a share',
      },
    })
      .default('fail')
      .describe('how many rows may be rejected'),
  })
  .superRefine(({ since, from, into }, context) => {
    if (!since) return
    const issue = (path: string[], message: string) => context.addIssue({ code: 'custom', path, message })
    if (from.connection === undefined) issue(['since'], 'since is for a table or a query of a database')
    if (into.connection === undefined) issue(['since'], 'since goes into a table, beside which its mark is kept')
    else if (into.write !== undefined && writeOf(into.write as WriteMode).replaces !== 'nothing') issue(['into', 'write'], 'with since, rows are appended or upserted: the others are not read again') // prettier-ignore
  })
  .describe('rows from one place into another')

export type Transfer = z.output<typeof transferSchema>

/** A transfer into a table. */
export type ToTable = Transfer & {
  readonly into: Transfer['into'] & {
    readonly connection: string
    readonly table: string
    readonly write: WriteMode
  }
}
/** A transfer into files. */
export type ToFiles = Transfer & {
  readonly into: Transfer['into'] & { readonly store: string; readonly file: string }
}

/** Which of the two it is; the grammar lets no third through. */
export const intoTable = (spec: Transfer): spec is ToTable => spec.into.connection !== undefined

/** What a transfer takes away before it writes; a file is always replaced whole. */
export const replaces = ({ into }: Transfer) =>
  into.write === undefined ? 'all' : writeOf(into.write).replaces

/** Does the same load, run twice, bring its rows twice? */
export const doubles = ({ into, since }: Transfer): boolean =>
  since === undefined && into.write !== undefined && writeOf(into.write).doubles

/** The transfer that brings rows in which were rejected before, and mended: beside what stands there, and without a mark. */
export const ofMended = (spec: Transfer): Transfer => ({
  ...spec,
  since: undefined,
  rejects: 'keep',
  check: spec.check?.filter((check) => !checkDefinition(checkOf(check).kind).ofAll),
  into: { ...spec.into, write: replaces(spec) === 'nothing' ? spec.into.write : 'append' },
})

/** An entry of a fresh step in flow style. */
const flow = (entries: Readonly<Record<string, string>>): string =>
  `{ ${Object.entries(entries)
    .map(([key, value]) => `${key}: ${/^[\w.-]+$/.test(value) ? value : JSON.stringify(value)}`)
    .join(', ')} }`

export const transfer = defineStep({
  does: 'rows from one place into another',
  tells: 'rows',
  maps: true,
  firstId: 'bring-in',
  schema: transferSchema,
  fresh: (names: Beginnings = someNames) =>
    `from: ${flow(sources.files.fresh(names))}\ninto: ${flow(targets.table.fresh(names))}`,
  settings: settingsOf,
  takesFiles: ({ from }) =>
    from.store === undefined
      ? undefined
      : { missing: from.missing, takesAway: false, covers: true, coveredBy: [] },
  bringsTwice: doubles,
  followsSlice: (given) => replaces(given) === 'slice',
  tables: (text) => {
    const touch = (side: 'from' | 'into', does: TableTouch['does']): TableTouch[] => {
      const connection = text(`${side}.connection`)
      const table = tableText(text(`${side}.table`))
      return connection?.kind === 'text' && connection.text !== '' && table !== undefined
        ? [{ connection: connection.text, table, does }]
        : []
    }
    return [...touch('from', 'read'), ...touch('into', 'write')]
  },
})

/** How the source's files are read, where it is not the usual way. */
function readingText(from: From): string {
  return [
    from.format,
    from.delimiter !== ',' && `parted by ${from.delimiter === '\t' ? 'tabs' : from.delimiter}`,
    !from.header && `no header${from.names ? `: ${from.names.join(', ')}` : ''}`,
    from.skip && `${from.skip} lines above the header`,
    from.decimal === ',' && 'decimal comma',
    from.encoding !== 'utf-8' && from.encoding,
    from.sheet !== undefined && `sheet ${from.sheet}`,
    from.records && `records at ${from.records}`,
    from.inner && `list ${from.inner}`,
  ]
    .filter(Boolean)
    .join(', ')
}

function rejectsText(rejects: RejectRule): string {
  if (rejects === 'fail') return 'fail on the first'
  if (rejects === 'keep') return 'keep all'
  return 'up_to' in rejects ? `up to ${rejects.up_to}` : `up to ${rejects.share * 100} %`
}

function settingsOf({ from, into, since, columns, shape, check, rejects }: Transfer): Setting[] {
  const settings: Setting[] = []
  const add = (label: string, text: string | undefined) => {
    if (text) settings.push({ label, text })
  }
  add(
    'write',
    into.write &&
      writeOf(into.write).words +
        (into.key ? ` by ${into.key.join(', ')}` : '') +
        (into.slice_by ? ` by ${into.slice_by}` : ''),
  )
  if (into.key) add('rows that share the key', into.repeats === 'fail' ? 'fail the load' : 'keep the last')
  add(
    'columns',
    columns &&
      Object.entries(columns)
        .map(([target, source]) => `${source} → ${target}`)
        .join(', '),
  )
  add('columns the target lacks', into.unknown_columns === 'fail' ? undefined : into.unknown_columns)
  add(
    'shape',
    shape
      ?.map(
        ({ columns: of, apply }) =>
          `${apply.join(', ')} every ${of.type ?? 'text'} column${of.named ? ` named ${of.named}` : ''}`,
      )
      .join('; '),
  )
  add('checked before writing', check?.map(checkText).join('; '))
  add('only what is new', since && `by ${since.column}, kept as ${since.kept_as}`)
  add('rejects', rejectsText(rejects))
  add(
    'written as',
    into.store &&
      [
        into.format ? formats[into.format as FileKind].words : 'by the ending',
        into.compress,
        into.split?.by && `in folders by ${into.split.by.join(', ')}`,
        into.split?.bytes && `in files of ${into.split.bytes.toLocaleString('en')} bytes`,
      ]
        .filter(Boolean)
        .join(', '),
  )
  add('read as', readingText(from))
  add('columns the source lacks', into.missing_columns === 'fail' ? 'fail the load' : undefined)
  if (from.store) add('no file', from.missing === 'skip' ? 'skip the load' : 'fail the load')
  return settings
}
