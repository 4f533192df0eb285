import { ButtonBase } from '@mui/material'
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactElement } from 'react'
import {
  DynamicDataSheetGrid,
  type CellProps,
  type Column,
  type DataSheetGridRef,
} from 'react-datasheet-grid'
import 'react-datasheet-grid/dist/style.css'
import './grid.css'
import type { Column as TableColumn } from '../../../core/value'
import { emptyDraft, field, type Change, type ControlAnswer, type Draft, type View } from './edits'

/** Grid tracks by what a column holds. */
function widthOf({ name, type }: TableColumn, rows: ControlAnswer['rows']): { basis: number; grow: number } {
  if (type === 'boolean') return { basis: 70, grow: 0 }
  if (['time', 'integer', 'decimal', 'number'].includes(type)) return { basis: 84, grow: 0 }
  const longest = rows.reduce((most, row) => Math.max(most, String(row[name] ?? '').length), name.length)
  return { basis: Math.min(260, Math.max(80, longest * 7.6 + 22)), grow: 1 }
}

interface CellData {
  readonly column: string
  /** The rows as they were read, by their place. */
  readonly original: readonly Draft[]
}

/**
 * A cell as text; of a changed one what it was stands struck out behind. It takes the keyboard when the grid says so: a
 * key typed replaces the text, Enter opens it as it is.
 */
function TextCell({
  rowData,
  setRowData,
  focus,
  active,
  stopEditing,
  columnData: { column, original },
  rowIndex,
}: CellProps<Draft, CellData>): ReactElement {
  const name = field(column)
  const value = rowData[name] ?? ''
  const was = rowData.at >= 0 ? original[rowData.at]?.[name] : undefined
  const input = useRef<HTMLInputElement>(null)
  // null until something is typed, so that what stands in the cell is there to be selected when it opens
  const [text, setText] = useState<string | null>(null)
  const typed = useRef({ text: '', changed: false })
  // only the moment of opening or closing counts, so what the cell holds then is read from here
  const held = useRef({ value, set: (_next: string) => {} })
  useLayoutEffect(() => {
    held.current = { value, set: (next) => setRowData({ ...rowData, [name]: next }) }
  })
  useLayoutEffect(() => {
    if (focus) {
      setText(null)
      typed.current = { text: held.current.value, changed: false }
      input.current?.focus()
      input.current?.select()
    } else {
      if (typed.current.changed) held.current.set(typed.current.text)
      typed.current.changed = false
      input.current?.blur()
    }
  }, [focus])
  return (
    <>
      {!focus && was !== undefined && was !== value && (
        <span className="was" aria-hidden="true">
          <span>{value}</span> <s>{was || 'empty'}</s>
        </span>
      )}
      <input
        ref={input}
        className="dsg-input"
        aria-label={`${column}, row ${rowIndex + 1}`}
        tabIndex={-1}
        value={focus ? (text ?? value) : value}
        style={{ pointerEvents: focus ? 'auto' : 'none' }}
        readOnly={!active && !focus}
        onChange={(event) => {
          setText(event.target.value)
          typed.current = { text: event.target.value, changed: true }
        }}
        onKeyDown={(event) => {
          if (event.key === 'Escape') {
            typed.current.changed = false
            stopEditing({ nextRow: false })
          }
        }}
      />
    </>
  )
}

const textColumn = (column: string, original: readonly Draft[]): Partial<Column<Draft, CellData, string>> => {
  const name = field(column)
  return {
    component: TextCell,
    columnData: { column, original },
    deleteValue: ({ rowData }) => ({ ...rowData, [name]: '' }),
    copyValue: ({ rowData }) => rowData[name] ?? '',
    pasteValue: ({ rowData, value }) => ({ ...rowData, [name]: value }),
    isCellEmpty: ({ rowData }) => (rowData[name] ?? '') === '',
    prePasteValues: (values) => values,
  }
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
  const holder = useRef<HTMLDivElement>(null)
  const [height, setHeight] = useState(420)
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setHeight(Math.max(160, entry!.contentRect.height)))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
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
        const name = field(column.name)
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
          cellClassName: ({ rowData }: { rowData: Draft }) => {
            if (broken.get(rowData.id)?.has(column.name)) return 'cell broken'
            const was = rowData.at >= 0 ? original[rowData.at] : undefined
            if (was === rowData) return 'cell'
            return !was || was[name] !== rowData[name] ? 'cell changed' : 'cell'
          },
        } as Partial<Column>
      }),
    [table, widths, sort, broken, original, locked, onSort],
  )
  const grid = useRef<DataSheetGridRef>(null)
  useEffect(() => {
    // keys that go to a field elsewhere must not reach the cell, too
    const leave = (event: FocusEvent) => {
      if (!holder.current?.contains(event.target as Node) && grid.current?.activeCell)
        grid.current.setActiveCell(null)
    }
    document.addEventListener('focusin', leave)
    return () => document.removeEventListener('focusin', leave)
  }, [])
  const seen = useRef(rows)
  seen.current = rows
  const onActive = useCallback(
    ({ cell }: { cell: { row: number; colId?: string } | null }) =>
      onCell(cell ? seen.current[cell.row] : undefined, cell?.colId),
    [onCell],
  )
  return (
    <div
      ref={holder}
      className="sheet flush grow control-grid"
      role="region"
      aria-label={`rows of ${table.name}`}
      style={{ minHeight: 170, overflow: 'hidden' }}
    >
      <DynamicDataSheetGrid<Draft>
        ref={grid}
        value={rows as Draft[]}
        onChange={(next) => onChange(next)}
        onActiveCellChange={onActive}
        columns={columns}
        height={height}
        rowHeight={28}
        headerRowHeight={28}
        lockRows={locked}
        createRow={() => emptyDraft(table)}
        duplicateRow={({ rowData }) => ({ ...rowData, id: emptyDraft(table).id, at: -1 })}
        addRowsComponent={false}
      />
    </div>
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
