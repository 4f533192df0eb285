import type { ValueReading } from '../valueReading'

/** How files of a format may be packed when they are written. */
export type Packing = 'none' | 'gzip' | 'zstd' | 'snappy'

/** What is known of a format of files without opening one; engine/formats/ has the other half. */
export interface FormatDefinition {
  /** What it is called: `newline-delimited JSON`. */
  readonly words: string
  /** The endings of its files: those that nothing else has, and those that other formats of text come with, too. */
  readonly endings: { readonly own: readonly string[]; readonly shared?: readonly string[] }
  /** Formats of one family with the same columns are like files, which make one dataset. */
  readonly family: string
  /** Its columns have types of their own, which are worth telling. */
  readonly typed: boolean
  /** Keys that say how its files are read. */
  readonly reads: readonly ReadingKey[]
  /** How it is written; null for a format that is only read. */
  readonly writes: {
    readonly ending: string
    /** Fits the names, without the ending of a packing, that are written so. */
    readonly names: RegExp
    readonly packings: readonly Packing[]
    /** May it be parted into folders by the values of columns? */
    readonly folders: boolean
  } | null
}

/** Keys that say how values are written, in whatever format. */
export type ValueKey = keyof ValueReading
export const valueKeys = [
  'decimal',
  'thousands',
  'marks',
  'dates',
  'nulls',
  'yes',
  'no',
] as const satisfies readonly ValueKey[]

/** Keys of a source of files that say how they are read. */
export type ReadingKey =
  | 'delimiter'
  | 'widths'
  | 'quote'
  | 'escape'
  | 'ends'
  | 'heads'
  | 'under'
  | 'tail'
  | ValueKey
  | 'header'
  | 'names'
  | 'skip'
  | 'comment'
  | 'encoding'
  | 'sheet'
  | 'records'
  | 'inner'
