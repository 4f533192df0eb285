import type { Transfer } from '../../core/job/steps/transfer'
import { postgresTypeFor } from '../../core/catalog/types'
import { stepFault } from '../context/step'

/**
 * Target column → source column, by the job's map, else by name: as written, then in lower case without blanks around.
 * Names of a table are meant as they are: they meet in lower case (`meets`) only where the target has them so.
 */
export function sourceColumns(
  header: readonly string[],
  spec: Transfer,
  {
    meets = () => true,
    renames = new Map(),
  }: {
    readonly meets?: (plain: string, name: string) => boolean
    readonly renames?: ReadonlyMap<string, string> | undefined
  } = {},
): Map<string, string> {
  const found = new Map<string, string>()
  const given = new Map(Object.entries(spec.columns ?? {}))
  const mapped = new Set(given.values())
  // what the job says of a column goes before what the catalog does
  for (const [name, own] of renames) if (!mapped.has(own)) given.set(tableName(name), own)
  const taken = new Set(given.values())
  const own = new Set(header)
  for (const name of header) {
    if (taken.has(name)) continue
    const plain = name.trim().toLowerCase()
    // a name that is another's in lower case stays as it is
    const free = plain !== name && !own.has(plain) && !found.has(plain)
    found.set(free && meets(plain, name) ? plain : name, name)
  }
  for (const [target, source] of given) {
    if (!header.includes(source))
      stepFault(
        'no-column',
        `the source has no column "${source}", which columns: maps to ${target}; it has ${header.join(', ')}`,
        'mend columns: in the job',
      )
    found.set(target, source)
  }
  return found
}

/** The name of a column as tables have it: without blanks around, in lower case. */
const tableName = (name: string): string => name.trim().toLowerCase()

/** Type of a column of a new table: the one the job gives, else the one offered by the source. */
export function typeFor(name: string, spec: Transfer, found: string): string {
  const given = spec.types?.[name]
  return given ? postgresTypeFor(given) : found
}

/**
 * The columns of a target that a source fills. @throws StepFault `no-columns` where there is none, `no-key` where one of
 * the key's is not among them
 */
export function filledColumns<C extends { readonly name: string }>(
  columns: readonly C[],
  sourceOf: ReadonlyMap<string, string>,
  spec: Transfer,
  said: { readonly source: string; readonly table: string; readonly names: readonly string[] },
): C[] {
  const filled = columns.filter(({ name }) => sourceOf.has(name))
  if (filled.length === 0)
    stepFault(
      'no-columns',
      `no column of ${said.source} is one of ${said.table}: it has ${said.names.join(', ')}`,
      'map them with columns:',
    )
  for (const name of spec.into.key ?? [])
    if (!filled.some((column) => column.name === name))
      stepFault('no-key', `${said.source} has no column for the key "${name}"`, 'map it with columns:')
  return filled
}
