import { useEffect, useLayoutEffect, useMemo, useRef, useState, type ReactElement } from 'react'
import { DynamicDataSheetGrid, keyColumn, type CellProps, type Column } from 'react-datasheet-grid'
import 'react-datasheet-grid/dist/style.css'
import './grid.css'
import type { Column as TableColumn } from '../../../core/value'
import { emptyDraft, field, type Change, type ControlAnswer, type Draft } from './edits'

/** Grid tracks by what a column holds. */
function widthOf({ name, type }: TableColumn, rows: ControlAnswer['rows']): { basis: number; grow: number } {
  if (type === 'boolean') return { basis: 70, grow: 0 }
  if (type === 'time' || type === 'integer' || type === 'number') return { basis: 84, grow: 0 }
  const longest = rows.reduce((most, row) => Math.max(most, String(row[name] ?? '').length), name.length)
  return { basis: Math.min(260, Math.max(80, longest * 7.6 + 22)), grow: 1 }
}

/** A cell as text. It takes the keyboard when the grid says so: a key typed replaces the text, Enter opens it as it is. */
function TextCell({
  rowData,
  setRowData,
  focus,
  active,
  stopEditing,
  columnData,
  rowIndex,
}: CellProps<string, { label: string }>): ReactElement {
  const input = useRef<HTMLInputElement>(null)
  const [text, setText] = useState('')
  const typed = useRef({ text: '', changed: false })
  // only the moment of opening or closing counts, so what the cell holds then is read from here
  const held = useRef({ rowData, setRowData })
  useLayoutEffect(() => {
    held.current = { rowData, setRowData }
  })
  useLayoutEffect(() => {
    if (focus) {
      setText(held.current.rowData)
      typed.current = { text: held.current.rowData, changed: false }
      input.current?.focus()
      input.current?.select()
    } else {
      if (typed.current.changed) held.current.setRowData(typed.current.text)
      typed.current.changed = false
      input.current?.blur()
    }
  }, [focus])
  return (
    <input
      ref={input}
      className="dsg-input"
      aria-label={`${columnData.label}, row ${rowIndex + 1}`}
      tabIndex={-1}
      value={focus ? text : rowData}
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
  )
}

const textColumn = (label: string): Partial<Column<string, { label: string }, string>> => ({
  component: TextCell,
  columnData: { label },
  deleteValue: () => '',
  copyValue: ({ rowData }) => rowData,
  pasteValue: ({ value }) => value,
  isCellEmpty: ({ rowData }) => rowData === '',
  prePasteValues: (values) => values,
})

interface Props {
  readonly table: ControlAnswer
  readonly drafts: readonly Draft[]
  readonly changes: readonly Change[]
  readonly locked: boolean
  readonly onChange: (drafts: Draft[]) => void
}

/** The rows as a spreadsheet: type, paste a block, fill down, add, remove. Changed cells carry an ochre edge, broken ones a rust one. */
export function ControlGrid({ table, drafts, changes, locked, onChange }: Props): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const [height, setHeight] = useState(420)
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setHeight(Math.max(160, entry!.contentRect.height)))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  const marks = useMemo(() => {
    const byPlace = new Map<number, { changed: Set<string>; broken: Set<string> }>()
    for (const { place, cells, faults } of changes) {
      byPlace.set(place, {
        changed: new Set(cells.map(({ column }) => column)),
        broken: new Set(faults.map(({ column }) => column)),
      })
    }
    return byPlace
  }, [changes])
  const columns = useMemo(
    () =>
      table.columns.map((column): Partial<Column> => {
        const { basis, grow } = widthOf(column, table.rows)
        return {
          ...keyColumn<Draft, `c:${string}`>(field(column.name), textColumn(column.name) as never),
          title: (
            <span
              title={
                table.rules[column.name]?.one_of
                  ? `one of ${table.rules[column.name]!.one_of!.join(', ')}`
                  : column.type
              }
            >
              {column.name}
              {table.key.includes(column.name) && <span className="soft"> · key</span>}
            </span>
          ),
          basis,
          grow,
          minWidth: basis,
          disabled: locked,
          cellClassName: ({ rowIndex }) => {
            const mark = marks.get(rowIndex)
            if (mark?.broken.has(column.name)) return 'cell broken'
            return mark?.changed.has(column.name) ? 'cell changed' : 'cell'
          },
        } as Partial<Column>
      }),
    [table, marks, locked],
  )
  return (
    <div
      ref={holder}
      className="sheet flush grow control-grid"
      role="region"
      aria-label={`rows of ${table.name}`}
      style={{ minHeight: 200, overflow: 'hidden' }}
    >
      <DynamicDataSheetGrid<Draft>
        value={drafts as Draft[]}
        onChange={(next) => onChange(next)}
        columns={columns as never}
        height={height}
        rowHeight={28}
        headerRowHeight={28}
        lockRows={locked}
        createRow={() => emptyDraft(table)}
        duplicateRow={({ rowData }) => ({ ...rowData, at: -1 })}
        addRowsComponent={false}
      />
    </div>
  )
}
