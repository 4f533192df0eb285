import type { DuckDBConnection } from '@duckdb/node-api'
import type { FileFormat } from '../../core/catalog/found'
import type { Packing } from '../../core/files/formats/definition'
import type { TextAs } from '../../database/schema'
import type { From } from '../../core/job/sources'
import type { Known } from './known'
import type { CsvReading, Relation, StoreFile } from './relation'

export type { Known }

/** How a job says that files are read. */
export type FileReading = Omit<
  From,
  'store' | 'files' | 'missing' | 'connection' | 'table' | 'query' | 'service' | 'path'
>

/** A file of a store with how it is read, and the columns that its head names; none where only reading tells them. */
export interface FormattedFile extends StoreFile {
  readonly format: FileFormat
  readonly names: readonly string[]
  readonly said?: readonly string[]
}

/** Files of one format, laid open for a load. */
export interface OpenedFiles {
  /** DuckDB's types; VARCHAR for text that is still to be read as what it is. */
  readonly columns: readonly { readonly name: string; readonly type: string }[]
  /** Stands after FROM. */
  readonly sql: () => string
  readonly ofText: boolean
  /** How each file is read, of formats whose rows are lines. */
  readonly texts?: ReadonlyMap<string, TextAs>
  readonly decimal?: ',' | 'by file' | undefined
  /** Of files that are read from a copy in UTF-8: the copy's path and the file's own. */
  readonly copies?: ReadonlyMap<string, string>
  /** Its numbers are written as decimals, whatever they are read as. */
  readonly decimalNumbers?: boolean
  /** Tells rows that stand for a line that no reader can take. */
  readonly broken?: string
  /** The column with the number of a row's record in its file, where a record gives several rows. */
  readonly record?: string
  /** What a person should know of how they are read, in words. */
  readonly said?: readonly string[]
  /** Rows of each file by its full path, of formats whose text does not tell; by their own footers or lengths. */
  readonly rows: ReadonlyMap<string, number>
}

/** A table of a file as a survey sees it, before its values are looked at. */
export interface SurveyedTable {
  readonly relation: Relation
  readonly format: FileFormat
  readonly unnamed: boolean
  /** Rows, where the format says how many. */
  readonly rows?: number
}

/** How files of a format are written. */
export interface FileWriter {
  /**
   * Writes what a SELECT gives into a file, or into a folder where the rows are parted. Returns the rows.
   * @throws StepFault `rows` where the format does not hold so many
   */
  write(duck: DuckDBConnection, select: string, into: WritingPlace): Promise<number>
  /** Rows that are found in what was written, where the format says. */
  count?(duck: DuckDBConnection, place: string, folder: boolean): Promise<number>
  /** What DuckDB reads it back with, for a look in a try; undefined for a format it does not read. */
  readBack?(glob: string): string
}

export interface WritingPlace {
  readonly file: string
  readonly compress: Packing | undefined
  readonly delimiter: string
  readonly split:
    { readonly by?: readonly string[] | undefined; readonly bytes?: number | undefined } | undefined
}

/** How a file is to be read, the columns that its head names, and what a person should know of it, in words. */
export interface Head {
  readonly format: FileFormat
  readonly names: readonly string[]
  readonly said?: readonly string[]
}

/** Bytes that files of a format begin with. */
export interface Mark {
  /** Four of them, in hexadecimal. */
  readonly bytes: string
  /** Why a file that begins so is none of the format all the same; `end` gives its last bytes. */
  fault(file: { readonly ending: string; end(bytes: number): Promise<Buffer> }): Promise<string | undefined>
}

/** A format of files: how it is read, surveyed, counted and written. core/files/formats/ has the other half. */
export interface Format {
  /** How a file is to be read and what its head names; undefined where nothing is in it. @throws StepFault `file` */
  head(known: Known, reading: FileReading): Head | undefined
  /**
   * Lays the files of one load open; they have the same columns. What must be unpacked first goes into `folder`.
   * @throws StepFault `file`, `columns-differ`, `header`
   */
  open(
    duck: DuckDBConnection,
    files: readonly FormattedFile[],
    reading: FileReading,
    folder: string,
  ): Promise<OpenedFiles>
  /** Files of one dialect and the same columns as one relation. @throws FaultError `file` */
  relation(
    duck: DuckDBConnection,
    files: readonly StoreFile[],
    format: FileFormat,
    names: readonly string[],
    folder: string,
    reading?: CsvReading,
  ): Promise<Relation>
  /** The tables of one file, for a survey; a text says why there is none. */
  tables(
    duck: DuckDBConnection,
    file: StoreFile,
    known: Known,
    folder: string,
  ): Promise<readonly SurveyedTable[] | string>
  /** Where files of one dialect are surveyed together: how this one is read. A text says why it is no table. */
  together?(known: Known): Head | string
  /** What a browser shows of the file, with how it was read in words. @throws FaultError `file` */
  look(
    duck: DuckDBConnection,
    file: StoreFile,
    known: Known,
    folder: string,
  ): Promise<{ sql: string; note: string }>
  /** How its text tells the number of records, counted beside the reading: by RFC 4180, or by lines; else it says it itself. */
  readonly counts?: 'records' | 'lines'
  /** Its first bytes tell it, whatever a job or the ending says; of others the text does. */
  readonly mark?: Mark
  /** Of a format of text: is one of it that begins so? Of several that say so the first has it. */
  begins?(text: string, ending: string): boolean
  /** Of a format of text: why one that begins so is no table of it all the same. */
  refuses?(sample: string, ending: string, whole: boolean): string | undefined
  readonly writer?: FileWriter
}
