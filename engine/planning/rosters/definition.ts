import type { ReadKind, RosterSource } from '../../../core/job/rosters'
import type { Table } from '../../../core/value'
import type { Lister } from '../../connectors/files/store'
import type { Engine } from '../../context/engine'

/** What reading a roster needs; what was opened once serves for all of a plan. */
export interface RosterReading {
  readonly engine: Engine
  readonly environment: string
  readonly zone: string
  readonly listerOf: (store: string) => Promise<Lister>
}

/** One row more than a roster may have, so that too many are told and not cut. */
export const mostRead = 1_000_001

/** How the rows of a kind of roster are read. core/job/rosters/ has the other half. */
export interface RosterReader<K extends ReadKind> {
  readonly read: ReadRoster<K>
  /** Its rows are edited here, and shown as they are in the next glance: they are never kept. */
  readonly edited?: true
  /** Said behind a fault of the database that it is read from. */
  readonly place?: (source: RosterSource<K>) => string
}

export type ReadRoster<K extends ReadKind> = (
  source: RosterSource<K>,
  reading: RosterReading,
) => Promise<Table>
