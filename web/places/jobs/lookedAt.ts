/** A row by its key, null for the first; the start of a slice, empty where there are none. */
export interface LookedAt {
  readonly row: string | null
  readonly slice: string
}
