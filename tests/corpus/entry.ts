/** A small file as people have them, with what it says. */
export interface Entry {
  /** Its name; each lies in a folder of its own. */
  readonly name: string
  readonly bytes: string | Buffer
  /** `name type` of its columns, as a survey finds them. */
  readonly columns?: string
  /** Its rows as texts of Postgres (ISO dates, UTC); null for nothing. */
  readonly rows?: readonly (readonly (string | null)[])[]
  /** Why it is no table, in words; then it has neither columns nor rows. */
  readonly fault?: RegExp
  /** Lines of it that are rejects. */
  readonly rejects?: number
  /** What the log of its load says. */
  readonly log?: RegExp
  /** More keys of the source that a person stated, in YAML. */
  readonly from?: string
  /** Columns and rows when read with `from`, where the survey sees it otherwise. */
  readonly loaded?: string
}

/** Rows in short: fields parted by bars, `~` for nothing. */
export const rows = (...lines: readonly string[]): (string | null)[][] =>
  lines.map((line) => line.split('|').map((cell) => (cell === '~' ? null : cell)))

export const entry = (
  name: string,
  bytes: string | Buffer,
  columns: string,
  found: readonly (readonly (string | null)[])[],
  more: Partial<Entry> = {},
): Entry => ({ name, bytes, columns, rows: found, ...more })

export const fault = (name: string, bytes: string | Buffer, why: RegExp): Entry => ({
  name,
  bytes,
  fault: why,
})
