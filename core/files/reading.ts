import { z } from 'zod'
import { columnNames, field } from '../field/field'
import type { ReadingKey, ValueKey } from './formats/definition'
import { patternFault } from './datePattern'
import { encodings, encodingWords } from './encodings'
import { thousandSigns, type ValueReading } from './valueReading'
import { fileKinds, formats } from './formats'

const words = Object.fromEntries(fileKinds.map((kind) => [kind, formats[kind].words]))

/** A key of reading matters where the format is one that it is for, or not known before the file is. */
const readBy =
  (key: ReadingKey) =>
  ({ format }: Readonly<Record<string, unknown>>): boolean => {
    const kind = fileKinds.find((known) => known === format)
    return kind === undefined || formats[kind].reads.includes(key)
  }

const patternSchema = z.string().superRefine((pattern, context) => {
  const message = patternFault(pattern)
  if (message) context.addIssue({ code: 'custom', message })
})

/** What a job says of how values are written. */
export const valueReadingOf = ({
  decimal,
  thousands,
  marks,
  dates,
  nulls,
  yes,
  no,
}: Omit<ValueReading, 'decimal'> & { readonly decimal?: '.' | ',' | undefined }): ValueReading => ({
  ...(decimal === ',' ? { decimal } : {}),
  ...(thousands ? { thousands } : {}),
  ...(marks ? { marks } : {}),
  ...(dates ? { dates } : {}),
  ...(nulls ? { nulls } : {}),
  ...(yes ? { yes } : {}),
  ...(no ? { no } : {}),
})

/** How files are read; what is left out has its usual value, or, with `format: detect`, is worked out for each file. */
export const readingShape = {
  format: field(z.enum([...fileKinds, 'detect']), {
    rare: true,
    usual: 'by the ending',
    words: { ...words, detect: 'worked out from each file' },
  })
    .optional()
    .describe('by the ending where it is left out; detect: worked out from each file'),
  delimiter: field(z.string().regex(/^(.|blanks)$/u, 'one letter, or blanks'), {
    rare: true,
    when: readBy('delimiter'),
    usual: ',',
  })
    .default(',')
    .describe('CSV: the letter between two fields; blanks: any number of them'),
  widths: field(z.array(z.int().min(1)).min(2), {
    rare: true,
    when: readBy('widths'),
    label: 'widths of columns',
  })
    .optional()
    .describe(
      'letters of each column, where columns have fixed widths; the last goes to the end of the line',
    ),
  quote: field(z.string().length(1), { rare: true, when: readBy('quote'), usual: '"' })
    .optional()
    .describe('CSV: the letter around a field that holds the delimiter; doubled within'),
  escape: field(z.literal('\\'), {
    rare: true,
    when: readBy('escape'),
    label: 'escaped by',
    words: { '\\': 'a backslash' },
  })
    .optional()
    .describe('CSV: a backslash takes the meaning of the letter behind it away, and \\N is nothing'),
  header: field(z.boolean(), { rare: true, when: readBy('header') })
    .default(true)
    .describe('the first line names the columns; else they are named by names, or column_1, column_2 …'),
  names: field(columnNames, { rare: true, when: readBy('names'), label: 'names of columns' })
    .optional()
    .describe('names for the columns of a file without a header'),
  skip: field(z.int().min(0), { rare: true, when: readBy('skip'), label: 'lines to skip', usual: '0' })
    .optional()
    .describe('lines above the header'),
  heads: field(z.int().min(2).max(4), {
    rare: true,
    when: readBy('heads'),
    label: 'lines of the header',
    usual: '1',
  })
    .optional()
    .describe('a header of several lines: names of groups above names'),
  under: field(z.int().min(1).max(9), {
    rare: true,
    when: readBy('under'),
    label: 'lines below the header',
    usual: '0',
  })
    .optional()
    .describe('lines between the header and the rows that are left out, such as units'),
  tail: field(z.int().min(1).max(99), {
    rare: true,
    when: readBy('tail'),
    label: 'lines below the table',
    usual: '0',
  })
    .optional()
    .describe('lines at the end that are no rows and are left out, such as totals'),
  ends: field(z.literal('mixed'), {
    rare: true,
    when: readBy('ends'),
    label: 'ends of lines',
    words: { mixed: 'by turns' },
  })
    .optional()
    .describe('CSV: lines end by turns in CR LF, LF or CR; found by itself in the beginning of a file'),
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
  thousands: field(z.enum(thousandSigns), {
    rare: true,
    when: readBy('thousands'),
    label: 'sign of thousands',
    words: { ',': 'comma', '.': 'point', ' ': 'blank', "'": 'apostrophe' },
  })
    .optional()
    .describe('the sign between groups of three digits of a number; a blank is any kind of blank'),
  marks: field(z.array(z.string().min(1)).min(1), {
    rare: true,
    when: readBy('marks'),
    label: 'signs at numbers',
    usual: '€, %',
  })
    .optional()
    .describe('signs at a number that are left out, such as € or %; with them, (5) and 5- are -5'),
  dates: field(z.array(patternSchema).min(1), {
    rare: true,
    when: readBy('dates'),
    label: 'patterns of dates',
    usual: 'd.M.yyyy',
  })
    .optional()
    .describe(
      'how days and times are written where they are not ISO 8601, such as d.M.yyyy or M/d/yyyy h:mm a (UTS #35)',
    ),
  nulls: field(z.array(z.string().min(1)).min(1), {
    rare: true,
    when: readBy('nulls'),
    label: 'words for nothing',
    usual: 'NA, -',
  })
    .optional()
    .describe('words that stand for nothing in every column, such as NA'),
  yes: field(z.array(z.string().min(1)).min(1), {
    rare: true,
    when: readBy('yes'),
    label: 'words for true',
    usual: 'ja',
  })
    .optional()
    .describe('words for true, such as ja'),
  no: field(z.array(z.string().min(1)).min(1), {
    rare: true,
    when: readBy('no'),
    label: 'words for false',
    usual: 'nein',
  })
    .optional()
    .describe('words for false, such as nein'),
  encoding: field(z.enum(encodings), {
    rare: true,
    when: readBy('encoding'),
    words: encodingWords,
  })
    .default('utf-8')
    .describe('how bytes are letters'),
  sheet: field(z.string(), { rare: true, when: readBy('sheet'), usual: 'the first that holds a table' })
    .optional()
    .describe('XLSX: the sheet, or with * all that fit and hold a table; else the first that does'),
  records: field(z.string(), { rare: true, label: 'records at', usual: 'data.items' })
    .optional()
    .describe('JSON, services: path to the list of records, such as data.items'),
  inner: field(z.string(), { rare: true, label: 'inner list', usual: 'lines' })
    .optional()
    .describe('JSON, services: path within a record to the list whose entries are the rows'),
} satisfies Record<ReadingKey | 'format', z.ZodType>

const { decimal, thousands, marks, dates, nulls, yes, no } = readingShape
/** How values are written, whatever the format. */
export const valueShape = { decimal, thousands, marks, dates, nulls, yes, no } satisfies Record<
  ValueKey,
  z.ZodType
>
