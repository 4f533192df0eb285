/** A row in an editor: every cell as text. An edit makes a new object; rows that were not touched stay the same one. */
export interface Draft {
  /** Tells rows apart for as long as the editor is open. */
  readonly id: number
  /** Its place in what was read, -1 for a new row. */
  readonly at: number
  readonly [column: `c:${string}`]: string
}

export const field = (column: string): `c:${string}` => `c:${column}`

export interface Replacing {
  readonly find: string
  readonly by: string
  /** '' for all columns. */
  readonly column: string
  /** Only cells that are the text and nothing else. */
  readonly whole: boolean
}

/** Replaces a text in the rows with some ids; the number of cells that change. */
export function replaceIn(
  names: readonly string[],
  drafts: readonly Draft[],
  shown: ReadonlySet<number>,
  { find, by, column, whole }: Replacing,
): { drafts: Draft[]; cells: number } {
  let cells = 0
  if (find === '') return { drafts: [...drafts], cells }
  const columns = names.filter((name) => column === '' || name === column)
  const next = drafts.map((draft) => {
    if (!shown.has(draft.id)) return draft
    let changed: Record<string, string> | undefined
    for (const name of columns) {
      const text = draft[field(name)] ?? ''
      const after = whole ? (text === find ? by : text) : text.split(find).join(by)
      if (after === text) continue
      cells++
      changed = { ...changed, [field(name)]: after }
    }
    return changed ? { ...draft, ...changed } : draft
  })
  return { drafts: next, cells }
}
