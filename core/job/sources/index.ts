import { z } from 'zod'
import { field, mergedShape } from '../../field/field'
import { valueReadingOf } from '../../files/reading'
import { readingFault } from '../../files/valueReading'
import { kindFields } from '../kinds'
import { files } from './files'
import { query } from './query'
import { service } from './service'
import { table } from './table'
import { oneOf } from './oneOf'

/** Every kind of source. */
export const sources = { files, table, query, service }

export type SourceKind = keyof typeof sources
export const sourceKinds = Object.keys(sources) as SourceKind[]

export const fromSchema = field(
  z.strictObject(mergedShape(sources)).superRefine((from, context) => {
    oneOf('source', sources, from, context)
    const fault = readingFault(valueReadingOf(from))
    if (fault) context.addIssue({ code: 'custom', message: fault.message, path: [fault.key] })
  }),
  { kinds: { of: (from) => sourceKind(from), all: kindFields(sources) } },
)

export type From = z.output<typeof fromSchema>

/** Which kind of source it is, by its keys; the first that names its place where none is whole. */
export const sourceKind = (from: Readonly<Record<string, unknown>>): SourceKind =>
  sourceKinds.find(
    (kind) => from[sources[kind].place] !== undefined && from[sources[kind].what] !== undefined,
  ) ??
  sourceKinds.find((kind) => from[sources[kind].place] !== undefined) ??
  'table'
