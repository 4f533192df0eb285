import type { OddValues } from '../catalog/fits'
import type { StepKind } from '../job/steps'
import type { ConnectionKind } from '../connection/connection'
import type { Resolved, Slot } from '../text/slot'
import type { Place } from '../fault'
import type { Forecast } from '../forecast/forecast'
import type { Job } from '../job/document'
import type { Roster } from '../roster/roster'
import type { Slice } from '../slice/slices'
import type { SliceSpec } from '../slice/spec'
import type { Value } from '../value'

export type Level = 'stop' | 'look' | 'note'

export const findingCodes = [
  'target-clash', 'does-not-vary', 'empty-roster', 'roster-jump', 'not-one-row', 'key-repeats', 'roster', 'unknown-name',
  'empty-value', 'outside-store', 'no-file', 'empty-file', 'many-files', 'unreadable-file', 'header-only', 'ragged-file', 'odd-values', 'other-columns', 'catalog-names', 'target-kind', 'like-target', 'dotted-name', 'already-loaded', 'raw-sql', 'cleared-too-early',
  'name-too-long', 'append-repeats', 'connection', 'slice-open', 'slices-overlap', 'over-cap', 'schema-changed',
  'other-file', 'range-count', 'parameter', 'expression', 'circle', 'never-lines-up', 'never-runs', 'watermark', 'time-column',
] as const // prettier-ignore
export type FindingCode = (typeof findingCodes)[number]

/** What can be done about a finding, where there is something. */
export interface Mend {
  readonly label: string
  /** A control table's row, a place in the job, a connection. */
  readonly open: 'control-row' | 'job' | 'connection'
  readonly name: string
  readonly row?: string
}

export interface Finding {
  readonly code: FindingCode
  readonly level: Level
  readonly message: string
  readonly where: Place & { readonly loads?: readonly string[] }
  readonly mend?: Mend
  /** Numbers of the loads it concerns, in the plan's order; empty where it concerns the whole plan. */
  readonly loads: readonly number[]
}

export interface PlanStep {
  readonly id: string
  readonly title: string
  readonly kind: StepKind
  readonly slots: readonly Slot[]
}

/** A part as planned; `roster` and `slices` are undefined for a part that runs once. */
export interface PlanPart {
  readonly index: number
  readonly steps: readonly PlanStep[]
  readonly roster: Roster | undefined
  readonly slices: readonly Slice[] | undefined
  readonly atOnce: number
  /** The parts that it waits for. */
  readonly waits: readonly number[]
  /** By which of row and slice each slot varies, in the order of the slots. */
  readonly varies: readonly Varies[]
}

export type Varies = 'same' | 'row' | 'slice' | 'both'

/** One load, or the one unit of a part that runs once (`row` is -1). */
export interface PlannedLoad {
  readonly part: number
  /** Row's key and slice's label, `thornby flow · 2026-11-22`. Unique within the plan's part. */
  readonly key: string
  /** Index in the part's roster, -1 for a part that runs once. */
  readonly row: number
  /** Index in the part's slices, -1 where it has none. */
  readonly slice: number
  /** What each slot resolves to, in the order of `slots` over the part's steps; null where it could not be. */
  readonly resolved: readonly (Resolved | null)[]
  /** A file is taken in place of the one that its row names. */
  readonly instead?: InsteadFile
}

export interface FileFact {
  /** Path in the store, with forward slashes. */
  readonly path: string
  /** Bytes. */
  readonly size: number
  /** ISO 8601 instant. */
  readonly modified: string
  /** Column names of its first line, where it was read. */
  readonly header?: readonly string[]
  /** What its beginning shows, where it was looked at. */
  readonly head?: FileHead
  /** A person named columns of the dataset that it is known to be of, and the job does not name that dataset. */
  readonly named?: { readonly dataset: string; readonly columns: readonly string[] }
  /** It lies outside of its store, by a link: what is said of that. Nothing else of it is known. */
  readonly outside?: string
}

/** What the beginning of a file shows. */
export interface FileHead {
  /** Why it is no table that can be read, in words. */
  readonly unreadable?: string
  /** It has names of columns and no rows. */
  readonly headerOnly?: true
  /** The first line with another number of fields than the header. */
  readonly ragged?: { readonly line: number; readonly fields: number; readonly wanted: number }
  /** Values that the columns' types cannot take, with the line of the first, among the rows that were looked at. */
  readonly odd?: {
    readonly looked: number
    readonly columns: readonly (Omit<OddValues, 'row'> & { readonly line: number })[]
  }
}

/** A file that a load took in, as the ledger knows it. */
export interface LoadedFile {
  readonly path: string
  readonly size: number
  readonly modified: string
  readonly sha256: string
  readonly target: string
  readonly run: number
  readonly at: string
}

export interface ConnectionFact {
  readonly kind: ConnectionKind
  /** Has it settings in this environment? */
  readonly configured: boolean
  /** Loads that may use it at the same time; null for no cap. */
  readonly cap: number | null
  /** Tags that it needs, where no worker that is there has all of them. */
  readonly unreached?: readonly string[]
}

/** What the engine found out for a plan; core looks nothing up by itself. */
export interface Facts {
  readonly connections: Readonly<Record<string, ConnectionFact>>
  /** Files that match a store and pattern, keyed by `fileKey`; an absent key was not looked up. */
  readonly files: ReadonlyMap<string, readonly FileFact[]>
  /** The newest loading of a file into a target, keyed by `loadedKey`. */
  readonly loaded: ReadonlyMap<string, LoadedFile>
  /** Columns of the tables that loads read, keyed by `sourceKey`. */
  readonly sources: ReadonlyMap<string, readonly SourceColumn[]>
  /** Columns of the tables that files go into, keyed by `sourceKey`. */
  readonly targets?: ReadonlyMap<string, readonly SourceColumn[]>
  /** Columns that were found at the source when a step last loaded a row, keyed by `shapeKey`. */
  readonly shapes: ReadonlyMap<string, readonly SourceColumn[]>
  /** Seconds that finished loads of this job took, newest first, by roster key; '' for all. */
  readonly history: ReadonlyMap<string, readonly number[]>
  /** Loads that all workers together run at once. */
  readonly workers: number
  /** What is known of the tables that loads read and write, keyed by `sourceKey`; an absent key was not looked up. */
  readonly tables: ReadonlyMap<string, TableFact>
  /** What statements do to tables, by the text of the statement; an absent one could not be read. */
  readonly statements: ReadonlyMap<string, StatementFact>
  /** What points in time meet in the statements of loads, by `sourceKey` of connection and text; only what could be prepared. */
  readonly moments?: ReadonlyMap<string, MomentFact>
  /** Marks of loads that read only what is new, by `markKey`; an absent key was not looked up. */
  readonly marks?: ReadonlyMap<string, MarkFact>
  /** The jobs that each job calls by name; looked up only where the planned one calls some. */
  readonly calls?: ReadonlyMap<string, readonly string[]>
  /** Every job with its slices and the jobs that its loads wait for; looked up only where the planned one waits for some. */
  readonly waits?: ReadonlyMap<string, WaitFact>
  /** Of the job's last run in this environment. */
  readonly before: BeforeFact | null
}

/** A job that may be waited for. */
export interface WaitFact {
  readonly slices: SliceSpec | undefined
  readonly waitsFor: readonly string[]
}

/** A mark, and the source that it is of. */
export interface MarkFact {
  /** Null where no load left one. */
  readonly value: string | null
  /** The largest value of the source, as its database writes it; null where it has none. */
  readonly top: string | null
  /** The mark is past the end of the source. */
  readonly ahead: boolean
  /** Can several rows of the source have one value? */
  readonly ties: boolean
}

/** A table as the connection's user sees it. */
export interface TableFact {
  readonly exists: boolean
  /** It is a view. */
  readonly view?: boolean
  /** May it be read, and rows be put into it? Where it does not exist: may it be made? */
  readonly mayRead: boolean
  readonly mayWrite: boolean
  /** Tables of the same schema, for the nearest name; only where it does not exist. */
  readonly others?: readonly string[]
  /** User who asked. */
  readonly user: string
}

/** What a statement does, as `schema.table`; tables without a schema are of `public`. */
export interface StatementFact {
  readonly reads: readonly string[]
  readonly writes: readonly string[]
  /** Emptied or taken away whole: TRUNCATE, DELETE without WHERE, DROP. */
  readonly empties: readonly string[]
}

/** What the points in time that a statement binds are held against. */
export interface MomentFact {
  /** Types that the database gives to the parameters, by their numbers less one; undefined where it is not known. */
  readonly types: readonly (string | undefined)[]
  /** What the database says where a point in time cannot stand there at all. */
  readonly refused?: string
}

/** What earlier runs of a job tell a plan of it. */
export interface BeforeFact {
  /** Number of the newest run. */
  readonly run: number
  /** Rows that each part's roster had in it, by part. */
  readonly rows: Readonly<Record<number, number>>
  /** The distinct slices that were ever loaded. */
  readonly slices: readonly { readonly from: string; readonly to: string }[]
}

/** A column at a source; the type where the source has types. */
export interface SourceColumn {
  readonly name: string
  readonly type?: string
}

export const sourceKey = (connection: string, table: string): string => `${connection}\n${table}`
export const markKey = (connection: string, name: string): string => `${connection}\n${name}`
export const shapeKey = (step: string, row: string): string => `${step}\n${row}`
export const fileKey = (store: string, pattern: string): string => `${store}\n${pattern}`
export const loadedKey = (store: string, path: string, target: string): string =>
  `${store}\n${path}\n${target}`

export interface PlanRequest {
  readonly job: Job
  readonly environment: { readonly name: string; readonly values: Readonly<Record<string, Value>> }
  /** Values given for parameters; defaults fill in. */
  readonly parameters: Readonly<Record<string, Value>>
  /** An expression over row and slice; loads for which it is true stay. */
  readonly only: string | undefined
  /** Stretches of rows: of the parts that go through slices, loads within one of them stay; all where it is left out. */
  readonly picks?: readonly PlanPick[] | undefined
  readonly slices: readonly Slice[] | undefined
  /** Files that somebody said are taken in place of those that rows name. */
  readonly instead?: readonly InsteadFile[] | undefined
  /** Which texts are resolved, by their paths; all where it is left out. */
  readonly texts?: ((path: string) => boolean) | undefined
  /** ISO 8601 instant. */
  readonly now: string
}

/** A file that is taken in place of the one that a row and slice name. */
export interface InsteadFile {
  /** As {@link partName} says it. */
  readonly part: string
  readonly row: string
  /** Beginning of the slice, ISO 8601. */
  readonly from: string
  /** The pattern that the row names, as it is resolved. */
  readonly replaces: string
  /** Path in the store, with forward slashes. */
  readonly file: string
  readonly by: string
  readonly why: string
}

/** A stretch of data time of one row of a part, half-open. */
export interface PlanPick {
  /** As {@link partName} says it. */
  readonly part: string
  readonly row: string
  /** ISO 8601 instants. */
  readonly from: string
  readonly to: string
}

/** Loads with every text resolved, before anything is looked up. */
export interface Expansion {
  readonly request: PlanRequest
  readonly parts: readonly PlanPart[]
  readonly loads: readonly PlannedLoad[]
  /** What stood in the way of resolving. */
  readonly findings: readonly Finding[]
  readonly parameters: Readonly<Record<string, Value>>
}

export interface Plan extends Expansion {
  readonly forecast: Forecast | null
}
