import type { ReadKind, RosterSource } from '../../../core/job/rosters'
import type { Table } from '../../../core/value'
import { control } from './control'
import { datasets } from './datasets'
import type { RosterReader, RosterReading } from './definition'
import { file } from './file'
import { files } from './files'
import { query } from './query'

/** Every kind of roster that is read. */
const readers: { readonly [K in ReadKind]: RosterReader<K> } = {
  control: { read: control, edited: true },
  query: { read: query, place: ({ connection }) => ` (roster query on ${connection})` },
  file: { read: file },
  datasets: { read: datasets },
  files: { read: files },
}

const readerOf = <K extends ReadKind>({ kind }: RosterSource<K>) => readers[kind] as RosterReader<K>

/** Reads the rows of a roster's source. */
export const readSource = <K extends ReadKind>(
  source: RosterSource<K>,
  reading: RosterReading,
): Promise<Table> => readerOf(source).read(source, reading)

/** Are a source's rows edited here? */
export const isEdited = (source: RosterSource): boolean => readerOf(source).edited ?? false

/** Said behind a fault of the database that a source is read from. */
export const placeOf = (source: RosterSource): string => readerOf(source).place?.(source) ?? ''
