import { z } from 'zod'
import { columnRules } from '../shape/shape'
import { valueTypes } from '../value'
import { checkSchema } from './check'

/** A text that may hold `{ … }` expressions. */
export const template = z
  .string()
  .min(1)
  .refine((text) => !text.includes('\0'), 'a text cannot hold a zero byte')
const columnName = z.string().min(1)

export const fileKinds = ['csv', 'json', 'ndjson', 'xlsx', 'parquet'] as const

/** How files are read; what is left out has its usual value, or, with `format: detect`, is worked out for each file. */
export const readingShape = {
  format: z
    .enum([...fileKinds, 'detect'])
    .optional()
    .describe('by the ending where it is left out; detect: worked out from each file'),
  delimiter: z.string().length(1).default(','),
  quote: z.string().length(1).optional(),
  header: z
    .boolean()
    .default(true)
    .describe('false: the columns are named by names, or column_1, column_2 …'),
  names: z.array(columnName).min(1).optional().describe('names for the columns of a file without a header'),
  skip: z.int().min(0).optional().describe('lines above the header'),
  comment: z.string().length(1).optional().describe('lines that begin with it are left out'),
  decimal: z.enum(['.', ',']).default('.'),
  encoding: z.enum(['utf-8', 'utf-16', 'latin-1']).default('utf-8'),
  sheet: z.string().optional().describe('XLSX: the sheet; else the first that holds a table'),
  records: z.string().optional().describe('JSON, services: path to the list of records, such as data.items'),
  inner: z
    .string()
    .optional()
    .describe('JSON, services: path within a record to the list whose entries are the rows'),
}

export const fromSchema = z
  .strictObject({
    store: template.optional().describe('a connection of kind file store'),
    files: template.optional().describe('path in the store; * and ? match within a name'),
    missing: z.enum(['fail', 'skip']).default('fail').describe('what a load does when its file is not there'),
    ...readingShape,
    connection: template.optional(),
    table: template.optional(),
    query: template.optional().describe('a SELECT; expressions in it are bound values'),
    service: template.optional().describe('a connection of kind HTTP JSON service'),
    path: template.optional().describe('path and query of the service; values are percent-encoded'),
  })
  .superRefine((from, context) => {
    const wrong = (message: string, path: string) =>
      context.addIssue({ code: 'custom', message, path: [path] })
    const places = (['store', 'connection', 'service'] as const).filter((place) => from[place] !== undefined)
    if (places.length !== 1) {
      context.addIssue({
        code: 'custom',
        message: 'one source: store and files, connection and table or query, or service and path',
      })
      return
    }
    const needs = { store: ['files'], connection: ['table', 'query'], service: ['path'] }[places[0]!]
    const given = (['files', 'table', 'query', 'path'] as const).filter((what) => from[what] !== undefined)
    const other = given.find((what) => !needs.includes(what))
    if (other) wrong(`${other} does not go with ${places[0]}`, other)
    else if (given.length !== 1) wrong(`${places[0]} goes with ${needs.join(' or ')}`, places[0]!)
  })

export const writeModes = ['append', 'replace-all', 'replace-slice', 'upsert'] as const
export type WriteMode = (typeof writeModes)[number]

export const intoSchema = z
  .strictObject({
    connection: template.optional(),
    table: template
      .optional()
      .describe('a dot in the text parts schema and table; a dot in a value does not'),
    write: z.enum(writeModes).optional().describe('into a table'),
    key: z.array(columnName).min(1).optional().describe('for upsert'),
    slice_by: columnName
      .optional()
      .describe('for replace-slice: the time column that places a row in a slice'),
    repeats: z
      .enum(['fail', 'keep-last'])
      .default('fail')
      .describe(
        'rows of one load that share the key: fail, or keep the last and count the others as filtered',
      ),
    unknown_columns: z
      .enum(['fail', 'ignore', 'add'])
      .default('fail')
      .describe('columns of the source that the table lacks'),
    missing_columns: z
      .enum(['fail', 'ignore'])
      .default('ignore')
      .describe('columns of the table that the source lacks: fail, or leave them to their defaults'),
    store: template.optional().describe('a connection of kind file store'),
    file: template
      .optional()
      .describe('path of the file, which is replaced whole; of a folder where split is given'),
    format: z
      .enum(['csv', 'ndjson', 'parquet', 'xlsx'])
      .optional()
      .describe('by the ending where it is left out'),
    delimiter: z.string().length(1).default(','),
    compress: z.enum(['none', 'gzip', 'zstd', 'snappy']).optional(),
    split: z
      .strictObject({
        by: z.array(columnName).min(1).optional().describe('name=value folders, one level for each column'),
        bytes: z.int().min(1_000_000).optional().describe('several files of about so many bytes'),
      })
      .refine(({ by, bytes }) => (by === undefined) !== (bytes === undefined), {
        message: 'split by columns, or by bytes',
      })
      .optional(),
  })
  .superRefine((into, context) => {
    const wrong = (message: string, path: string) =>
      context.addIssue({ code: 'custom', message, path: [path] })
    if ((into.connection === undefined) === (into.store === undefined))
      return context.addIssue({
        code: 'custom',
        message: 'one target: connection and table, or store and file',
      })
    if (into.connection !== undefined) {
      if (into.table === undefined) wrong('connection goes with table', 'connection')
      if (into.write === undefined) wrong(`write is one of ${writeModes.join(', ')}`, 'write')
      if (into.write === 'upsert' && !into.key) wrong('upsert needs key', 'key')
      if (into.write === 'replace-slice' && !into.slice_by) wrong('replace-slice needs slice_by', 'slice_by')
      for (const what of ['file', 'format', 'split', 'compress'] as const)
        if (into[what] !== undefined) wrong(`${what} goes with store`, what)
    } else {
      if (into.file === undefined) wrong('store goes with file', 'store')
      for (const what of ['table', 'write', 'key', 'slice_by'] as const)
        if (into[what] !== undefined)
          wrong(`${what} goes with connection; a file is always replaced whole`, what)
      if (into.split?.by && into.format === 'xlsx') wrong('XLSX is not split into folders', 'split')
    }
  })

const shapeSchema = z.strictObject({
  columns: z
    .strictObject({
      type: z.enum(valueTypes).optional(),
      named: z.string().optional().describe('a name, * matches any letters'),
    })
    .default({}),
  apply: z.array(z.enum(columnRules)).min(1),
})

const rejectsSchema = z.union([
  z.enum(['fail', 'keep']),
  z.strictObject({ up_to: z.int().min(0) }),
  z.strictObject({ share: z.number().min(0).max(1) }),
])
export type RejectRule = z.output<typeof rejectsSchema>

export const transferSchema = z.strictObject({
  from: fromSchema,
  into: intoSchema,
  columns: z
    .record(columnName, columnName)
    .optional()
    .describe('target column: source column, where the names differ'),
  types: z
    .record(columnName, z.enum(valueTypes))
    .optional()
    .describe('types for a target that is not there yet, or for files'),
  shape: z.array(shapeSchema).optional(),
  check: z.array(checkSchema).optional().describe('held before anything is written'),
  rejects: rejectsSchema.default('fail'),
})

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
