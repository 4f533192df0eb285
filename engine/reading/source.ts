import type { ValueReading } from '../../core/files/valueReading'
import type { FileRecord, TextAs } from '../../database/schema'

/** What a transfer reads, opened and ready to be selected from by DuckDB. */
export interface OpenSource {
  readonly empty: false
  /** What it is called in messages: its first file, or its address. */
  readonly label: string
  /** DuckDB's types; VARCHAR for text that is still to be read as what it is. */
  readonly columns: readonly {
    readonly name: string
    readonly type: string
    /** The type in the words of the source, where it has its own. */
    readonly own?: string
  }[]
  /** Stands after FROM. */
  readonly sql: () => string
  /** Lines of text; those that cannot be read at all go to DuckDB's tables of rejects. */
  readonly ofText: boolean
  /** Files whose rows are lines, by their full path, in the order in which they are read. */
  readonly texts?: ReadonlyMap<string, TextAs>
  /** The sign before the decimals of numbers in texts; where files differ in it, each row has its own in "mattock_decimal". */
  readonly decimal?: ',' | 'by file' | undefined
  /** How its texts are written, by what the job says. */
  readonly reading?: ValueReading
  /** The same of single columns, by what is known of them. */
  readonly readings?: ReadonlyMap<string, ValueReading>
  /** Postgres's types of single columns, by what is known of them. */
  readonly types?: ReadonlyMap<string, string>
  /** Names that the catalog gives to columns, with those that the source has. */
  readonly renames?: ReadonlyMap<string, string>
  /** How its values are written is worked out from them. */
  readonly detects?: boolean
  /** Of files that are read from a copy in UTF-8: the copy's path and the file's own. */
  readonly copies?: ReadonlyMap<string, string>
  /** Its numbers are written as decimals, whatever they are read as. */
  readonly decimalNumbers?: boolean
  /** Tells rows that stand for a line that no reader can take. */
  readonly broken?: string
  /** The column with the number of a row's record in its file, where a record gives several rows. */
  readonly record?: string
  /** It flows once: what cannot be cast fails the load, since it cannot be looked at before. */
  readonly once?: boolean
  /** Settles when the source has given all it has, or tells why it could not. */
  readonly drained?: () => Promise<void>
  /** The counts, made apart from the reading; settled when the source was read through. */
  readonly counted: Promise<{
    readonly files: readonly FileRecord[]
    readonly rows: number
    readonly bytes: number
  }>
}

/** A source that has neither a header nor rows: an empty file. */
export interface EmptySource {
  readonly empty: true
  readonly label: string
  readonly counted: OpenSource['counted']
}
