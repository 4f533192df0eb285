import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import type { TryLook } from '../../database/try'
import type { FileStore } from '../connectors/files/store'
import type { TargetTable } from '../connectors/postgres/tables'
import type { OpenSource } from '../reading/source'

/** Where a try keeps everything it does, as its steps see it. */
export interface Aside {
  /** What went into the step at work and came out of it. */
  looks: TryLook[]
  database(pool: pg.Pool, connection: string): AsideDatabase
  /** Where files for a store are written. */
  storeFor(store: FileStore): Promise<FileStore>
  /** The store that holds the files of a pattern: what this try wrote, where it wrote such files. */
  storeOf(store: FileStore, pattern: string): Promise<FileStore>
  /** Keeps the first rows that a step reads. */
  lookAtSource(duck: DuckDBConnection, source: OpenSource): Promise<void>
  /** Keeps the first rows that a query of DuckDB gives, as what comes out of the step. */
  lookAtOutput(duck: DuckDBConnection, title: string, select: string): Promise<void>
}

/** The stand-ins of one database. */
export interface AsideDatabase {
  prepare(): Promise<void>
  begin(client: pg.ClientBase): Promise<void>
  /** Where a table is read: its stand-in, where the try wrote it. */
  reading(table: TargetTable): Promise<TargetTable>
  /** Where a table is written: its stand-in, made where it is not there yet. */
  writing(table: TargetTable): Promise<TargetTable>
  query(text: string): Promise<string>
  /** A statement over stand-ins; undefined for one that is passed over. */
  statement(text: string): Promise<string | undefined>
  lookAtQuery(title: string, text: string, values: readonly unknown[]): Promise<void>
  /** Proves that nothing outside the scratch schema was changed; what is to be said goes to the log. */
  settle(client: pg.ClientBase, outcome: { readonly log: string[] }): Promise<void>
}
