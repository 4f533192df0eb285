import { recordsOf, type Layout } from '../files/layout'

/** How the lines of a file are read, as far as their fields go. */
export interface LineAs {
  readonly format: Layout
  /** Names of the fields, in their order. */
  readonly names: readonly string[]
  /** Values of columns that the file's path says. */
  readonly fixed?: Readonly<Record<string, string | null>>
}

/** The values of a rejected row by the columns of its source, and fields that are beyond them. */
export interface RowValues {
  readonly values: readonly (string | null)[]
  readonly beyond: readonly string[]
}

/**
 * The values of a line that was rejected, to be mended. A field of nothing is null, one of no letters within quotes a text of
 * none, as where the file is read (RFC 4180 does not tell them apart; the readers here do).
 */
export function valuesOfLine(
  raw: string,
  columns: readonly string[],
  { format, names, fixed = {} }: LineAs,
): RowValues {
  const [record] = recordsOf(raw, format, true, 1).records
  // of a quote that is not closed no reader makes a record
  const fields = record?.fields ?? raw.split(format.delimiter ?? ',')
  const values = columns.map((name) => {
    if (name in fixed) return fixed[name]!
    const at = names.indexOf(name)
    const field = at < 0 ? undefined : fields[at]
    return field === undefined || (field === '' && !record?.empty.includes(at)) ? null : field
  })
  return { values, beyond: fields.slice(names.length) }
}
