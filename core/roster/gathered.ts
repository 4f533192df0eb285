import type { Fault } from '../fault'
import type { RosterSource } from '../job/rosters'
import type { Table } from '../value'

/** Names a source among those that were gathered. */
export const sourceId = (source: RosterSource): string => JSON.stringify(source)

/** What the engine read, by source; a fault where it could not be read. */
export type Gathered = ReadonlyMap<string, Table | Fault>

export const isFault = (found: Table | Fault): found is Fault => 'message' in found
