/** A way of putting rows into a table; engine/writing/modes/ has the other half. */
export interface WriteDefinition {
  /** `replace all rows`. */
  readonly words: string
  /** Keys of the target without which it does not work. */
  readonly needs: readonly ('key' | 'slice_by')[]
  /** What of the table it takes away before it writes. */
  readonly replaces: 'nothing' | 'all' | 'slice'
  /** Writing the same rows twice doubles them. */
  readonly doubles: boolean
}
