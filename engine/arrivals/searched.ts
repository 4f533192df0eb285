import type { KnownName } from '../../core/arrivals/nearest'
import type { Job } from '../../core/job/document'
import type { Slice } from '../../core/slice/slices'
import type { Row } from '../../core/value'
import type { Lister } from '../connectors/files/store'

/** A job whose files were looked for, with what was found and where. */
export interface Searched {
  readonly job: Job
  /** By store: paths that its rows expect, names of each row, folders. */
  readonly paths: ReadonlyMap<string, ReadonlySet<string>>
  readonly names: ReadonlyMap<
    string,
    readonly (KnownName & { readonly part: string; readonly values: Row })[]
  >
  /** The slices that are shown. */
  readonly slices: readonly Slice[]
  readonly folders: ReadonlyMap<string, ReadonlySet<string>>
  readonly listers: ReadonlyMap<string, Lister>
}
