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

/** Reads the rows of a kind of roster. core/job/rosters/ has the other half. */
export type RosterReader<K extends ReadKind> = (
  source: RosterSource<K>,
  reading: RosterReading,
) => Promise<Table>
