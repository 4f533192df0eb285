/** The shape of a nested document, as its reader knows it. */
export type NestedType =
  | { readonly kind: 'plain'; readonly type: string }
  | {
      readonly kind: 'fields'
      readonly fields: readonly { readonly name: string; readonly type: NestedType }[]
    }
  | { readonly kind: 'list'; readonly of: NestedType }

export interface LaidOutColumn {
  /** Names along the way joined by `_`. */
  readonly name: string
  /** Names along the way from the row, for reaching the value. */
  readonly path: readonly string[]
  /** The reader's own type; `list` for a list of plain values, kept as JSON text. */
  readonly type: string
}

/** A table that a nested document gives: the records themselves, or a list within them. */
export interface LaidOutTable {
  /** Path from the record to the list, dots between; '' for the records. */
  readonly inner: string
  readonly columns: readonly LaidOutColumn[]
}

/**
 * Lays a nested document out as tables: fields within fields become columns named along the way, lists of documents
 * become tables of their own, lists of plain values stay one column of JSON text. Names that would be the same get
 * a number.
 */
export function layOut(record: NestedType): LaidOutTable[] {
  const tables: LaidOutTable[] = []
  const walk = (type: NestedType, inner: string) => {
    const columns: LaidOutColumn[] = []
    const lists: { type: NestedType; path: readonly string[] }[] = []
    const visit = (at: NestedType, path: readonly string[]) => {
      if (at.kind === 'fields') {
        for (const field of at.fields) visit(field.type, [...path, field.name])
        return
      }
      if (at.kind === 'list' && at.of.kind === 'fields') {
        lists.push({ type: at.of, path })
        return
      }
      const plain = path.length === 0 ? 'value' : path.join('_')
      let name = plain
      for (let n = 2; columns.some((column) => column.name === name); n++) name = `${plain}_${n}`
      columns.push({ name, path, type: at.kind === 'plain' ? at.type : 'list' })
    }
    visit(type, [])
    tables.push({ inner, columns })
    for (const list of lists) walk(list.type, [inner, ...list.path].filter((part) => part !== '').join('.'))
  }
  walk(record, '')
  return tables
}

/** Names of fields that are lists of documents at the top of a document: where its records may lie. */
export function recordLists(document: NestedType): string[] {
  if (document.kind !== 'fields') return []
  return document.fields.flatMap(({ name, type }) => {
    if (type.kind === 'list' && type.of.kind === 'fields') return [name]
    if (type.kind === 'fields') return recordLists(type).map((inner) => `${name}.${inner}`)
    return []
  })
}
