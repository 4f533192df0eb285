import type { FileFormat } from '../core/catalog/found'
import type { ValueReading } from '../core/files/valueReading'
import type { CheckKind } from '../core/job/checks'
import type { FileDeed } from '../core/job/fileWorks'
import type { Resolved } from '../core/text/slot'
import type { PlanPart } from '../core/plan/types'
import type { Row, ValueType } from '../core/value'

export interface PlanMark {
  readonly connections: readonly string[]
  readonly codes: readonly string[]
}

/** A part as it is kept: its rows, slices and what varies with them are rows of their own. */
export type StoredPart = Omit<PlanPart, 'roster' | 'slices' | 'varies' | 'waits'> & {
  /** Not in plans of before, whose parts ran one after the other. */
  readonly waits?: PlanPart['waits']
  readonly columns: PlanPart['roster'] extends infer R ? (R extends { columns: infer C } ? C : never) : never
  readonly each: boolean
  readonly rows: number
  readonly slices: number
  /** By which of row and slice each slot varies; plans of before have what a load resolves to with the load. */
  readonly varies?: PlanPart['varies']
  /** What the slots resolve to that are the same in all loads, in their order. */
  readonly same?: readonly (Resolved | null)[]
  readonly differing: {
    readonly columns: readonly { id: string; label: string; kind: 'row' | 'slice' | 'slot'; slot?: number }[]
    readonly same: readonly { label: string; text: string }[]
  }
}

export interface LoadError {
  readonly step: string | null
  readonly code: string
  readonly message: string
  /** What was and was not written. */
  readonly effect: string
  /** What to do. */
  readonly advice: string
  /** A sample of rows that show it, for a failed check. */
  readonly rows?: readonly Row[]
}

/** A load was let go although something that it waits for is missing. */
export interface LetGo {
  readonly by: string
  readonly why: string
  readonly at: string
}

/** A try of a step that failed, after which it was tried again. */
export interface StepTry {
  readonly code: string
  readonly message: string
  readonly at: string
  readonly milliseconds: number
}

/** How the lines of a file are read. */
export interface TextAs {
  readonly format: FileFormat
  /** Names of the fields of a line, in their order. */
  readonly names: readonly string[]
  /** Values of columns that its path says, the same in all its rows. */
  readonly fixed?: Readonly<Record<string, string | null>>
}

/** How rows that were rejected were read, so that they are read the same way once they are mended. */
export interface ReadAs {
  /** Columns of the source, in its order. */
  readonly columns: readonly string[]
  /** Files whose rows are lines, by the file's name; two that share one and are read differently are not there. */
  readonly texts?: Readonly<Record<string, TextAs>>
  /** The sign before the decimals of numbers; where files differ in it, each has its own in its format. */
  readonly decimal?: ',' | 'by file'
  readonly reading?: ValueReading
  readonly readings?: Readonly<Record<string, ValueReading>>
  readonly types?: Readonly<Record<string, string>>
  readonly renames?: Readonly<Record<string, string>>
}

/** A rejected row as a person mended it, with its values in the order of the columns. */
export interface MendedRow {
  /** Its place among the rejects, from 0. */
  readonly at: number
  readonly file: string
  readonly line: number
  readonly values: readonly (string | null)[]
}

/** A mark that a load moved. */
export interface MarkMove {
  readonly name: string
  readonly from: string | null
  readonly to: string
}

/** What a step gives to later ones: a row, with the types of its columns. */
export interface SetValue {
  readonly row: Row
  readonly types: Readonly<Record<string, ValueType>>
}

export interface StatementRecord {
  readonly on: string
  readonly text: string
  readonly values?: readonly unknown[]
  /** Rows it touched, where the server says so. */
  readonly rows?: number
  /** What the server said, where it failed. */
  readonly error?: string
  readonly milliseconds: number
}

/** What became of a check. */
export interface CheckRecord {
  readonly kind: CheckKind
  /** The check in words. */
  readonly text: string
  readonly holds: boolean
  /** Why it does not hold, and what to do. */
  readonly why?: string
  readonly advice?: string
  /** Some of the rows that break it. */
  readonly rows?: readonly Row[]
  /** The number that was counted, where later checks go by it. */
  readonly found?: number
  readonly note?: string
}

export interface FileRecord {
  readonly store: string
  readonly path: string
  readonly size: number
  readonly modified: string
  readonly sha256: string
  /** Rows it holds; a header is none. Files that were not read as rows have 0. */
  readonly records: number
  /** What a step that deals with files did with it; undefined where it was read. */
  readonly did?: FileDeed
  /** Where it went, or the archive it came from. */
  readonly at?: { readonly store: string; readonly path: string }
  /** Why it stays. */
  readonly why?: string
}

/** A dataset that was refreshed, and the run that did it. */
export interface SeenRefresh {
  readonly dataset: string
  readonly run: number
  readonly at: string
}

/** A file as it was when it was last looked at. */
export interface SeenFile {
  readonly path: string
  readonly size: number
  readonly modified: string
  /** Since when it is so, in milliseconds since 1970 by the clock of who looked. */
  readonly at: number
}

/** What the pages keep for a person. */
export interface KeptForAccount {
  /** Where they looked last. */
  readonly environment?: string
  /** Widths, order and choice of a table's columns, by the table's name. */
  readonly tables: Readonly<Record<string, TableSettings>>
}

export interface TableSettings {
  /** Pixels, by column. */
  readonly widths: Readonly<Record<string, number>>
  readonly hidden: readonly string[]
  readonly sort: readonly { readonly id: string; readonly desc: boolean }[]
}
