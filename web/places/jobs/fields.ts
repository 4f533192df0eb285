import { writeModes } from '../../../core/job/writes'
import type { StepKind } from '../../../core/job/steps'
import { fileKinds } from '../../../core/files/formats'

/** What a field of a form takes. */
export type FieldKind =
  | {
      readonly kind: 'template'
      readonly lines?: number
      readonly offer?: 'files' | 'postgres' | 'service' | 'table'
    }
  | { readonly kind: 'text'; readonly placeholder?: string }
  | { readonly kind: 'list'; readonly placeholder?: string }
  | { readonly kind: 'number'; readonly least?: number }
  | {
      readonly kind: 'choice'
      readonly options: readonly (readonly [string, string])[]
      readonly usual: string
    }
  | { readonly kind: 'flag'; readonly words: string; readonly usual?: boolean }

export interface Field {
  /** Path below the step, with dots. */
  readonly path: string
  readonly label: string
  readonly takes: FieldKind
  /** Seldom set: it is shown where it is, or when asked for. */
  readonly rare?: boolean
}

const field = (path: string, label: string, takes: FieldKind): Field => ({ path, label, takes })
const rare = (path: string, label: string, takes: FieldKind): Field => ({ path, label, takes, rare: true })
const connection = (offer: 'files' | 'postgres' | 'service'): FieldKind => ({ kind: 'template', offer })
const table: FieldKind = { kind: 'template', offer: 'table' }
const choice = (usual: string, ...options: (readonly [string, string])[]): FieldKind => ({
  kind: 'choice',
  usual,
  options,
})

/** Where the rows of a transfer come from, and what a new one of each begins with. */
export const sources = {
  files: { label: 'files of a store', fresh: { store: 'a-store', files: '*.csv' } },
  table: { label: 'a table', fresh: { connection: 'a-database', table: 'public.a_table' } },
  query: { label: 'a query', fresh: { connection: 'a-database', query: 'select 1 as one' } },
  service: { label: 'a service', fresh: { service: 'a-service', path: '/' } },
} as const
export type Source = keyof typeof sources

export const targets = {
  table: {
    label: 'a table',
    fresh: { connection: 'a-database', table: 'public.new_table', write: 'append' },
  },
  file: { label: 'a file', fresh: { store: 'a-store', file: 'out.csv' } },
} as const
export type Target = keyof typeof targets

interface RawTransfer {
  readonly from?: Record<string, unknown>
  readonly into?: Record<string, unknown>
}

export const sourceOf = ({ from = {} }: RawTransfer): Source =>
  from.service !== undefined
    ? 'service'
    : from.query !== undefined
      ? 'query'
      : from.store !== undefined
        ? 'files'
        : 'table'
export const targetOf = ({ into = {} }: RawTransfer): Target => (into.store === undefined ? 'table' : 'file')

const fromFields: Readonly<Record<Source, readonly Field[]>> = {
  files: [
    field('transfer.from.store', 'store', connection('files')),
    field('transfer.from.files', 'files', { kind: 'template' }),
    rare('transfer.from.missing', 'no file', choice('fail', ['fail', 'fails the load'], ['skip', 'skips the load'])),
    rare('transfer.from.format', 'format', choice('', ['', 'by the ending'], ...fileKinds.map((kind) => [kind, kind] as const), ['detect', 'worked out from each file'])),
    rare('transfer.from.delimiter', 'delimiter', { kind: 'text', placeholder: ',' }),
    rare('transfer.from.header', 'header', { kind: 'flag', words: 'the first line names the columns', usual: true }),
    rare('transfer.from.decimal', 'decimal sign', choice('.', ['.', 'point'], [',', 'comma'])),
    rare('transfer.from.sheet', 'sheet', { kind: 'text', placeholder: 'the first that holds a table' }),
    rare('transfer.from.inner', 'inner list', { kind: 'text', placeholder: 'path to a list within a record' }),
  ],
  table: [
    field('transfer.from.connection', 'connection', connection('postgres')),
    field('transfer.from.table', 'table', table),
  ],
  query: [
    field('transfer.from.connection', 'connection', connection('postgres')),
    field('transfer.from.query', 'query', { kind: 'template', lines: 5 }),
  ],
  service: [
    field('transfer.from.service', 'service', connection('service')),
    field('transfer.from.path', 'address', { kind: 'template' }),
    rare('transfer.from.records', 'records at', { kind: 'text', placeholder: 'path to the list, such as data.items' }),
    rare('transfer.from.inner', 'inner list', { kind: 'text', placeholder: 'path to a list within a record' }),
  ],
} // prettier-ignore

const modes: Readonly<Record<(typeof writeModes)[number], string>> = {
  append: 'append',
  'replace-all': 'replace all rows',
  'replace-slice': 'replace the slice',
  upsert: 'upsert by key',
}

const intoFields: Readonly<Record<Target, readonly Field[]>> = {
  table: [
    field('transfer.into.connection', 'connection', connection('postgres')),
    field('transfer.into.table', 'table', table),
    field('transfer.into.write', 'write', choice('', ...writeModes.map((mode) => [mode, modes[mode]] as const))),
    field('transfer.into.key', 'key', { kind: 'list', placeholder: 'columns, with commas' }),
    rare('transfer.into.slice_by', 'slice by', { kind: 'text', placeholder: 'the time column, for replace the slice' }),
    rare('transfer.into.repeats', 'same key twice', choice('fail', ['fail', 'fails the load'], ['keep-last', 'keeps the last'])),
    rare('transfer.into.unknown_columns', 'new columns', choice('fail', ['fail', 'fail the load'], ['ignore', 'are ignored'], ['add', 'are added'])),
    rare('transfer.into.missing_columns', 'lacking columns', choice('ignore', ['ignore', 'are left to their defaults'], ['fail', 'fail the load'])),
  ],
  file: [
    field('transfer.into.store', 'store', connection('files')),
    field('transfer.into.file', 'file', { kind: 'template' }),
    rare('transfer.into.format', 'format', choice('', ['', 'by the ending'], ['csv', 'csv'], ['ndjson', 'ndjson'], ['parquet', 'parquet'], ['xlsx', 'xlsx'])),
    rare('transfer.into.compress', 'pack', choice('', ['', 'as usual for the format'], ['none', 'not at all'], ['gzip', 'gzip'], ['zstd', 'zstd'], ['snappy', 'snappy'])),
  ],
} // prettier-ignore

export interface Section {
  readonly title: string
  readonly fields: readonly Field[]
  /** The kind of source or target can be changed at its head. */
  readonly head?: 'from' | 'into'
}

/** The fields of a step, by what it does. */
export function sectionsOf(kind: StepKind, raw: { readonly transfer?: RawTransfer }): Section[] {
  if (kind === 'transfer') {
    const transfer = raw.transfer ?? {}
    return [
      { title: 'from', head: 'from', fields: fromFields[sourceOf(transfer)] },
      { title: 'into', head: 'into', fields: intoFields[targetOf(transfer)] },
    ]
  }
  if (kind === 'sql')
    return [
      {
        title: 'statement',
        fields: [
          field('sql.on', 'on', connection('postgres')),
          field('sql.text', 'SQL', { kind: 'template', lines: 6 }),
        ],
      },
    ]
  return [
    {
      title: 'checked',
      fields: [field('check.on', 'on', connection('postgres')), field('check.table', 'table', table)],
    },
  ]
}

/** Functions an expression may use, as they are offered. */
export const functions = [
  'format(slice.from, "yyyyMMdd")',
  'name(',
  'list(',
  'pattern(',
  'size(',
  'has(',
] as const
