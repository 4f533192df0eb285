import type { ReadKind, RosterSource } from '../../../core/job/rosters'
import type { Table } from '../../../core/value'
import { control } from './control'
import { datasets } from './datasets'
import type { RosterReader, RosterReading } from './definition'
import { file } from './file'
import { files } from './files'
import { query } from './query'

/** Every kind of roster that is read. */
const readers: { readonly [K in ReadKind]: RosterReader<K> } = { control, query, file, datasets, files }

/** Reads the rows of a roster's source. */
export const readSource = <K extends ReadKind>(
  source: RosterSource<K>,
  reading: RosterReading,
): Promise<Table> => (readers[source.kind] as RosterReader<K>)(source, reading)
