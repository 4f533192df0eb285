import type { Readable } from 'node:stream'

/** A file as it is put into an archive. */
export interface PackedFile {
  /** In the archive, with forward slashes. */
  readonly name: string
  readonly full: string
  readonly size: number
  readonly modified: Date
}

/** A way to pack files. */
export interface ArchiveFormat {
  /** Packs files in their order into a new file. */
  readonly write: (own: string, files: readonly PackedFile[], signal: AbortSignal) => Promise<void>
  /**
   * Goes through the files of an archive in their order; `take` reads each to its end.
   * @throws StepFault `archive` for one that is damaged, too large, or holds what is no file
   */
  readonly read: (
    archive: { readonly full: string; readonly path: string },
    take: (name: string, content: Readable) => Promise<void>,
    signal: AbortSignal,
  ) => Promise<void>
}
