import { z } from 'zod'
import { columnNames, field } from '../field/field'
import type { ReadingKey } from './formats/definition'
import { encodings, encodingWords } from './encodings'
import { fileKinds, formats } from './formats'

const words = Object.fromEntries(fileKinds.map((kind) => [kind, formats[kind].words]))

/** A key of reading matters where the format is one that it is for, or not known before the file is. */
const readBy =
  (key: ReadingKey) =>
  ({ format }: Readonly<Record<string, unknown>>): boolean => {
    const kind = fileKinds.find((known) => known === format)
    return kind === undefined || formats[kind].reads.includes(key)
  }

/** How files are read; what is left out has its usual value, or, with `format: detect`, is worked out for each file. */
export const readingShape = {
  format: field(z.enum([...fileKinds, 'detect']), {
    rare: true,
    usual: 'by the ending',
    words: { ...words, detect: 'worked out from each file' },
  })
    .optional()
    .describe('by the ending where it is left out; detect: worked out from each file'),
  delimiter: field(z.string().length(1), { rare: true, when: readBy('delimiter'), usual: ',' })
    .default(',')
    .describe('CSV: the letter between two fields'),
  quote: field(z.string().length(1), { rare: true, when: readBy('quote'), usual: '"' })
    .optional()
    .describe('CSV: the letter around a field that holds the delimiter; doubled within'),
  header: field(z.boolean(), { rare: true, when: readBy('header') })
    .default(true)
    .describe('the first line names the columns; else they are named by names, or column_1, column_2 …'),
  names: field(columnNames, { rare: true, when: readBy('names'), label: 'names of columns' })
    .optional()
    .describe('names for the columns of a file without a header'),
  skip: field(z.int().min(0), { rare: true, when: readBy('skip'), label: 'lines to skip', usual: '0' })
    .optional()
    .describe('lines above the header'),
  comment: field(z.string().length(1), { rare: true, when: readBy('comment'), usual: '#' })
    .optional()
    .describe('lines that begin with it are left out'),
  decimal: field(z.enum(['.', ',']), {
    rare: true,
    when: readBy('decimal'),
    label: 'decimal sign',
    words: { '.': 'point', ',': 'comma' },
  })
    .default('.')
    .describe('the sign before the decimals of a number'),
  encoding: field(z.enum(encodings), {
    rare: true,
    when: readBy('encoding'),
    words: encodingWords,
  })
    .default('utf-8')
    .describe('how bytes are letters'),
  sheet: field(z.string(), { rare: true, when: readBy('sheet'), usual: 'the first that holds a table' })
    .optional()
    .describe('XLSX: the sheet; else the first that holds a table'),
  records: field(z.string(), { rare: true, label: 'records at', usual: 'data.items' })
    .optional()
    .describe('JSON, services: path to the list of records, such as data.items'),
  inner: field(z.string(), { rare: true, label: 'inner list', usual: 'lines' })
    .optional()
    .describe('JSON, services: path within a record to the list whose entries are the rows'),
} satisfies Record<ReadingKey | 'format', z.ZodType>
