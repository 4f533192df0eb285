import { createHash } from 'node:crypto'
import type { CatalogColumn } from '../../core/catalog/edits'
import type { WantedColumn } from '../../core/catalog/fits'
import { postgresTypeFor } from '../../core/catalog/types'
import type { Transfer } from '../../core/job/steps/transfer'
import type { SourceColumn } from '../../core/plan/types'
import { rulesFor } from '../../core/shape/shape'
import { StepFault } from '../context/step'
import type { WantedTypes } from '../reading/heads'
import { asKnown } from '../reading/known'
import { sourceColumns } from '../writing/columns'

/**
 * The types that a load casts the columns of its files to: those of a table that is there, else the job's, else the
 * catalog's. Undefined where nothing says any.
 */
export function wantedTypes(
  spec: Transfer,
  table: readonly SourceColumn[] | undefined,
  known: readonly CatalogColumn[] = [],
): WantedTypes | undefined {
  if (spec.into.store !== undefined) return undefined
  if (!table?.length && !spec.types && known.length === 0) return undefined
  const depends = [table, spec.types, spec.columns, spec.shape, known]
  const typeOf = (target: string): string | undefined => {
    if (table?.length) return table.find(({ name }) => name === target)?.type
    const given = spec.types?.[target]
    return given && postgresTypeFor(given)
  }
  return {
    id: createHash('sha256').update(JSON.stringify(depends)).digest('base64url').slice(0, 16),
    of: (header) => {
      const { renames, types, readings } = asKnown(
        header.map((name) => ({ name, type: 'VARCHAR' })),
        known,
      )
      try {
        const wanted = new Map<string, WantedColumn>()
        for (const [target, source] of sourceColumns(header, spec, { renames })) {
          const type = typeOf(target) ?? (table?.length ? undefined : types.get(source))
          // what is trimmed or cut on its way is not judged as it stands
          if (type === undefined || rulesFor({ name: target, type }, spec.shape ?? []).length > 0) continue
          wanted.set(source, { type, reading: readings.get(source) })
        }
        return wanted
      } catch (error) {
        // that a column is not there is told elsewhere
        if (!(error instanceof StepFault)) throw error
        return new Map()
      }
    },
  }
}
