/** A file of a store as it was listed. */
export interface TakenFile {
  /** In the store, with forward slashes. */
  readonly path: string
  readonly full: string
  /** Bytes. */
  readonly size: number
  /** ISO 8601 instant. */
  readonly modified: string
}
