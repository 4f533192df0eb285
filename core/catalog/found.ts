import type { DatasetKind } from './datasetKinds'
import { formats, type FileKind } from '../files/formats'
import type { ValueType } from '../value'
import type { Encoding } from '../files/encodings'
import type { ValueReading } from '../files/valueReading'
import type { Verdict } from './evidence'

/** How a format's files are read. Options that are not there have their usual value. */
export interface FileFormat {
  readonly kind: FileKind
  /** CSV: one letter, or `blanks` for any number of them. */
  readonly delimiter?: string
  readonly quote?: string
  /** CSV: the letter that takes the meaning of the next away. */
  readonly escape?: '\\'
  /** CSV: letters of each column, where the columns have fixed widths. */
  readonly widths?: readonly number[]
  /** CSV: how lines end, where there is a CR at all; `mixed`: by turns in CR LF, LF or CR. */
  readonly ends?: 'lf' | 'crlf' | 'mixed'
  /** CSV: does the first record name the columns? */
  readonly header?: boolean
  /** CSV, XLSX: lines of the header, where it is more than one. */
  readonly heads?: number
  /** CSV, XLSX: lines between the header and the rows: units, a ruled line. */
  readonly under?: number
  /** CSV, XLSX: lines below the rows: sums, notes. */
  readonly tail?: number
  /** CSV, XLSX: lines (rows) above the header. */
  readonly skip?: number
  /** CSV: lines that begin with this letter are left out. */
  readonly comment?: string
  readonly decimal?: ','
  readonly encoding?: Encoding
  readonly gzip?: boolean
  /** XLSX: name of the sheet. */
  readonly sheet?: string
  /** JSON that is no list of objects: one object, lists of cells, columns, objects by a key, bare values. */
  readonly shape?: 'object' | 'lists' | 'columns' | 'keyed' | 'values'
  /** JSON: path to the list of records, such as `data.items`. */
  readonly records?: string
  /** JSON: path within a record to the list whose entries are the rows. */
  readonly inner?: string
}

/** A column as a survey found it. */
export interface FoundColumn {
  readonly name: string
  readonly type: ValueType
  /** The type in the source's own words, such as `numeric(8,2)`; absent for files of text. */
  readonly sourceType?: string
  /** How its values are written, where it is not the plain way. */
  readonly reading?: ValueReading
  readonly required?: boolean
  /** There was no header: the name is ours. */
  readonly unnamed?: boolean
  readonly comment?: string
  readonly verdict?: Verdict
  /** Files of the dataset that have it, where not all do. */
  readonly inFiles?: number
  /** Comes from `name=value` folders. */
  readonly fromFolder?: boolean
}

/** A dataset as a survey found it. `locator` names it within its connection, and stays when its name is changed. */
export interface FoundDataset {
  readonly locator: string
  readonly kind: DatasetKind
  readonly name: string
  readonly columns: readonly FoundColumn[]
  readonly key: readonly string[]
  readonly format?: FileFormat
  readonly files?: number
  readonly bytes?: number
  readonly rows?: number
  /** The number of rows is the server's estimate. */
  readonly estimated?: boolean
  /** Lines that no reader can take. */
  readonly broken?: number
  readonly comment?: string
}

/** Something in the scope that is no dataset, and why. */
export interface Stray {
  readonly path: string
  readonly reason: string
}

const shapeWords: Readonly<Record<NonNullable<FileFormat['shape']>, string>> = {
  object: 'one object',
  lists: 'lists of cells',
  columns: 'columns',
  keyed: 'objects by a key',
  values: 'bare values',
}

/** How a file is read, in a few words. */
export function formatText(format: FileFormat): string {
  const delimiters: Record<string, string> = {
    ',': 'commas',
    ';': 'semicolons',
    '\t': 'tabs',
    '|': 'bars',
    blanks: 'blanks',
  }
  return [
    formats[format.kind].words,
    format.widths && `columns of ${format.widths.join(', ')} letters`,
    format.delimiter && `parted by ${delimiters[format.delimiter] ?? JSON.stringify(format.delimiter)}`,
    format.escape && 'escaped by backslashes',
    format.header === false && 'no header',
    format.heads && `a header of ${format.heads} lines`,
    format.under && `${format.under} ${format.under === 1 ? 'line' : 'lines'} below the header left out`,
    format.tail && `${format.tail} ${format.tail === 1 ? 'line' : 'lines'} below the table left out`,
    format.ends === 'mixed' && 'lines that end in several ways',
    format.skip && `${format.skip} ${format.skip === 1 ? 'line' : 'lines'} above the header`,
    format.comment && `comments with ${format.comment}`,
    format.decimal && 'decimal comma',
    format.encoding && format.encoding !== 'utf-8' && format.encoding.toUpperCase(),
    format.sheet !== undefined && `sheet ${format.sheet}`,
    format.shape && shapeWords[format.shape],
    format.records && `records at ${format.records}`,
    format.inner && `list ${format.inner}`,
    format.gzip && 'gzip',
  ]
    .filter(Boolean)
    .join(', ')
}
