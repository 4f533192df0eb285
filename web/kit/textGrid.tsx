import { useCallback, useEffect, useLayoutEffect, useRef, useState, type ReactElement } from 'react'
import {
  DynamicDataSheetGrid,
  type CellProps,
  type Column,
  type DataSheetGridRef,
} from 'react-datasheet-grid'
import 'react-datasheet-grid/dist/style.css'
import { field, type Draft } from './drafts'
import './textGrid.css'

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

/** A column of texts; of a changed cell what it was stands behind it. `original`: the rows as they were read, by their place. */
export const textColumn = (
  column: string,
  original: readonly Draft[],
): Partial<Column<Draft, CellData, string>> => {
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

/** How a cell is drawn: changed with an ochre edge, broken with a rust one. */
export function cellClass(original: readonly Draft[], row: Draft, column: string, broken: boolean): string {
  if (broken) return 'cell broken'
  const was = row.at >= 0 ? original[row.at] : undefined
  if (was === row) return 'cell'
  return !was || was[field(column)] !== row[field(column)] ? 'cell changed' : 'cell'
}

interface Props {
  readonly label: string
  readonly columns: readonly Partial<Column>[]
  /** The rows that are seen, in their order. */
  readonly rows: readonly Draft[]
  /** Ends with its rows, where they do not fill the room. */
  readonly fits?: boolean
  /** No row comes or goes. */
  readonly lockRows: boolean
  readonly newRow?: () => Draft
  readonly onChange: (rows: Draft[]) => void
  /** Called with the row and column where the cursor stands. */
  readonly onCell?: (row: Draft | undefined, column: string | undefined) => void
}

/** Rows of texts as a spreadsheet: type, paste a block, fill down, add, remove. */
export function TextGrid({
  label,
  columns,
  rows,
  fits = false,
  lockRows,
  newRow,
  onChange,
  onCell,
}: Props): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const [height, setHeight] = useState(420)
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setHeight(Math.max(56, entry!.contentRect.height)))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  /** Pixels of the head, the rows and the edges. */
  const own = (rows.length + 1) * 28 + 4
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
  const seen = useRef({ rows, onCell })
  seen.current = { rows, onCell }
  const onActive = useCallback(
    ({ cell }: { cell: { row: number; colId?: string } | null }) =>
      seen.current.onCell?.(cell ? seen.current.rows[cell.row] : undefined, cell?.colId),
    [],
  )
  return (
    <div
      ref={holder}
      className="sheet flush grow text-grid"
      role="region"
      aria-label={label}
      style={{
        minHeight: fits ? Math.min(170, own) : 170,
        overflow: 'hidden',
        ...(fits ? { maxHeight: own } : {}),
      }}
    >
      <DynamicDataSheetGrid<Draft>
        ref={grid}
        value={rows as Draft[]}
        onChange={(next) => onChange(next)}
        onActiveCellChange={onActive}
        columns={columns as Partial<Column<Draft>>[]}
        height={height}
        rowHeight={28}
        headerRowHeight={28}
        lockRows={lockRows}
        {...(newRow
          ? {
              createRow: newRow,
              duplicateRow: ({ rowData }: { rowData: Draft }) => ({ ...rowData, id: newRow().id, at: -1 }),
            }
          : {})}
        addRowsComponent={false}
      />
    </div>
  )
}
