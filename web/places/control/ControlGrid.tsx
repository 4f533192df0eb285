import { ButtonBase } from '@mui/material'
import { useCallback, useMemo, type ReactElement } from 'react'
import type { Column } from 'react-datasheet-grid'
import './grid.css'
import type { Column as TableColumn } from '../../../core/value'
import type { Draft } from '../../kit/drafts'
import { cellClass, textColumn, TextGrid } from '../../kit/textGrid'
import { emptyDraft, type Change, type ControlAnswer, type View } from './edits'

/** Grid tracks by what a column holds. */
function widthOf({ name, type }: TableColumn, rows: ControlAnswer['rows']): { basis: number; grow: number } {
  if (type === 'boolean') return { basis: 70, grow: 0 }
  if (['time', 'integer', 'decimal', 'number'].includes(type)) return { basis: 84, grow: 0 }
  const longest = rows.reduce((most, row) => Math.max(most, String(row[name] ?? '').length), name.length)
  return { basis: Math.min(260, Math.max(80, longest * 7.6 + 22)), grow: 1 }
}

interface Props {
  readonly table: ControlAnswer
  readonly original: readonly Draft[]
  /** The rows that are seen, in their order. */
  readonly rows: readonly Draft[]
  readonly changes: readonly Change[]
  readonly sort: View['sort']
  readonly locked: boolean
  readonly onChange: (rows: Draft[]) => void
  readonly onSort: (column: string) => void
  /** Called with the row and column where the cursor stands. */
  readonly onCell: (row: Draft | undefined, column: string | undefined) => void
}

/** The rows as a spreadsheet: type, paste a block, fill down, add, remove. Changed cells carry an ochre edge and what they were, broken ones a rust one. */
export function ControlGrid(props: Props): ReactElement {
  const { table, original, rows, changes, sort, locked, onChange, onSort, onCell } = props
  const broken = useMemo(
    () =>
      new Map(
        changes
          .filter(({ faults }) => faults.length > 0)
          .map(({ id, faults }) => [id, new Set(faults.map(({ column }) => column))]),
      ),
    [changes],
  )
  const widths = useMemo(() => table.columns.map((column) => widthOf(column, table.rows)), [table])
  const columns = useMemo(
    () =>
      table.columns.map((column, i): Partial<Column> => {
        const { basis, grow } = widths[i]!
        const sorted = sort?.column === column.name
        return {
          ...(textColumn(column.name, original) as Partial<Column>),
          id: column.name,
          title: (
            <ButtonBase
              className="head-button"
              disableRipple
              style={{ whiteSpace: 'pre' }}
              title={ruleText(table, column)}
              aria-label={`${column.name}${table.key.includes(column.name) ? ' · key' : ''}, sort by it`}
              // the grid must not take the click for a choice of the column
              onMouseDown={(event) => event.stopPropagation()}
              onClick={() => onSort(column.name)}
            >
              {column.name}
              {table.key.includes(column.name) && <span className="soft"> · key</span>}
              {sorted && <span aria-hidden="true">{sort.down ? ' ↓' : ' ↑'}</span>}
            </ButtonBase>
          ),
          basis,
          grow,
          minWidth: basis,
          disabled: locked,
          cellClassName: ({ rowData }: { rowData: Draft }) =>
            cellClass(original, rowData, column.name, broken.get(rowData.id)?.has(column.name) ?? false),
        } as Partial<Column>
      }),
    [table, widths, sort, broken, original, locked, onSort],
  )
  const newRow = useCallback(() => emptyDraft(table), [table])
  return (
    <TextGrid
      label={`rows of ${table.name}`}
      columns={columns}
      rows={rows}
      lockRows={locked}
      newRow={newRow}
      onChange={onChange}
      onCell={onCell}
    />
  )
}

/** What a column asks of its cells, in words. */
function ruleText({ rules }: ControlAnswer, { name, type }: TableColumn): string {
  const { required, unique, one_of, names, holds, note } = rules[name] ?? {}
  return [
    type,
    required && 'required',
    unique && 'unique',
    one_of && `one of ${one_of.join(', ')}`,
    names && `names a ${names}`,
    holds && `must hold: ${holds}`,
    note,
  ]
    .filter(Boolean)
    .join('; ')
}
