import ViewColumnIcon from '@mui/icons-material/ViewColumn'
import {
  Checkbox,
  Divider,
  IconButton,
  Menu,
  MenuItem,
  Table as MuiTable,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TableSortLabel,
  Tooltip,
} from '@mui/material'
import {
  columnResizingFeature,
  columnSizingFeature,
  columnVisibilityFeature,
  createSortedRowModel,
  rowSortingFeature,
  sortFns,
  tableFeatures,
  useTable,
  type ColumnDef,
} from '@tanstack/react-table'
import { useVirtualizer } from '@tanstack/react-virtual'
import {
  memo,
  useCallback,
  useEffect,
  useId,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type ReactElement,
  type ReactNode,
} from 'react'
import { useTableSettings, type TableSettings } from './useTableSettings'

/** A value as it is sorted by and copied. */
export type CellValue = string | number | null

export interface TableColumn<T> {
  readonly id: string
  readonly title: ReactNode
  /** A CSS grid track, such as `minmax(90px, 1fr)`. */
  readonly width: string
  readonly number?: boolean
  readonly mono?: boolean
  readonly cell: (row: T, index: number) => ReactNode
  readonly hint?: (row: T) => string | undefined
  /** Its value; a column that has one can be sorted by, where all rows are here, and is copied. */
  readonly value?: (row: T) => CellValue
}

interface Props<T> {
  /** What it is of; its settings are kept under this name, or `settings`. */
  readonly label: string
  readonly settings?: string
  /** Columns that are not shown until they are asked for. */
  readonly hiddenAtFirst?: readonly string[]
  readonly columns: readonly TableColumn<T>[]
  /** All rows, where they are here: they can then be sorted. */
  readonly rows?: readonly T[]
  /** Rows there are, where the server gives them page by page. */
  readonly total?: number
  /** Undefined while it is fetched. */
  readonly row?: (index: number) => T | undefined
  readonly onOpen?: (row: T, index: number) => void
  /** Called with x; with Shift and an arrow the pick is carried along. */
  readonly onPick?: (row: T) => void
  readonly onSeen?: (first: number, last: number) => void
  readonly onCurrent?: (row: T) => void
  readonly faded?: (row: T) => boolean
  /** The row to mark, where it is chosen from outside. */
  readonly current?: number
  readonly rowHeight?: number
  readonly empty?: ReactNode
  /** Height where it does not fill its parent. */
  readonly height?: number | string
}

const features = tableFeatures({
  columnVisibilityFeature,
  columnSizingFeature,
  columnResizingFeature,
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns,
})
type Features = typeof features

interface LineProps {
  readonly id: string
  readonly value: unknown
  readonly index: number
  /** Pixels from the top. */
  readonly start: number
  readonly height: number
  readonly columns: readonly TableColumn<unknown>[]
  readonly current: boolean
  readonly opens: boolean
  readonly faded: boolean
  readonly onPress: (index: number) => void
}

/** A row. While a list is scrolled most rows stay as they are, so that none of them is drawn again. */
const Line = memo(function Line(line: LineProps): ReactElement {
  const { value, index, height, columns } = line
  const classes = ['rows-row', line.opens && 'open', line.current && 'current', line.faded && 'faded']
  return (
    <TableRow
      component="div"
      id={line.id}
      role="row"
      aria-rowindex={index + 2}
      aria-selected={line.current}
      className={classes.filter(Boolean).join(' ')}
      style={{ height, lineHeight: `${height - 1}px`, transform: `translateY(${line.start}px)` }}
      onClick={() => line.onPress(index)}
    >
      {columns.map((column) => (
        <span
          key={column.id}
          role="gridcell"
          className={
            [column.number && 'number', column.mono && 'mono'].filter(Boolean).join(' ') || undefined
          }
          title={value === undefined ? undefined : column.hint?.(value)}
          style={column.mono ? { lineHeight: 'inherit' } : undefined}
        >
          {value === undefined ? <span className="soft">…</span> : column.cell(value, index)}
        </span>
      ))}
    </TableRow>
  )
})

const nothingSet: TableSettings = { widths: {}, hidden: [], sort: [] }

/**
 * The one table: sticky header, columns that can be sorted, widened and hidden (kept by this browser), rows by keyboard,
 * windowed. Arrows or j and k move, Enter opens, x picks, Ctrl+C copies the row as text.
 */
export function Table<T>(props: Props<T>): ReactElement {
  const { columns, rowHeight = 29, onSeen, onOpen, onPick, onCurrent, label } = props
  const first = useMemo<TableSettings>(
    () => ({ ...nothingSet, hidden: [...(props.hiddenAtFirst ?? [])] }),
    [props.hiddenAtFirst],
  )
  const [kept, keep] = useTableSettings(`${props.settings ?? label.replace(/\d+/g, '')}`, first)
  const [chosen, setChosen] = useState(-1)
  const scroll = useRef<HTMLDivElement>(null)
  const id = useId()
  const all = props.rows
  const defs = useMemo<ColumnDef<Features, { readonly item: T }>[]>(
    () =>
      columns.map((column) => ({
        id: column.id,
        accessorFn: ({ item }: { readonly item: T }) => column.value?.(item) ?? null,
        enableSorting: all !== undefined && column.value !== undefined,
        sortUndefined: 'last',
        minSize: 36,
      })),
    [columns, all],
  )
  const data = useMemo(() => (all ?? []).map((item) => ({ item })), [all])
  const state = useMemo(
    () => ({
      sorting: kept.sort.filter(({ id: by }) => columns.some((column) => column.id === by)),
      columnSizing: kept.widths,
      columnVisibility: Object.fromEntries(kept.hidden.map((name) => [name, false])),
    }),
    [kept, columns],
  )
  const table = useTable({
    features,
    columns: defs,
    data,
    columnResizeMode: 'onChange',
    state,
    onSortingChange: (next) => keep({ ...kept, sort: typeof next === 'function' ? next(kept.sort) : next }),
    onColumnSizingChange: (next) =>
      keep({ ...kept, widths: typeof next === 'function' ? next(kept.widths) : next }),
  })
  const sorted = table.getRowModel().rows
  const total = all ? all.length : (props.total ?? 0)
  const given = props.row
  const row = useCallback(
    (index: number): T | undefined => (all ? sorted[index]?.original.item : given?.(index)),
    [all, sorted, given],
  )
  const shown = columns.filter((column) => !kept.hidden.includes(column.id))
  const current = props.current ?? chosen
  const windowed = useVirtualizer({
    count: total,
    getScrollElement: () => scroll.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  // rows that become higher move those below them
  useEffect(() => windowed.measure(), [windowed, rowHeight])
  const items = windowed.getVirtualItems()
  const from = items[0]?.index ?? 0
  const to = items.at(-1)?.index ?? 0
  useEffect(() => onSeen?.(from, to), [onSeen, from, to])

  const move = (to: number) => {
    const next = Math.max(0, Math.min(total - 1, to))
    setChosen(next)
    windowed.scrollToIndex(next)
    const value = row(next)
    if (value !== undefined) onCurrent?.(value)
  }
  // one function for good, so that a row is drawn again only where something of it changed
  const pressed = useRef<(index: number) => void>(() => {})
  useEffect(() => {
    pressed.current = (index) => {
      setChosen(index)
      const value = row(index)
      if (value === undefined) return
      onCurrent?.(value)
      onOpen?.(value, index)
    }
  })
  const press = useCallback((index: number) => pressed.current(index), [])
  const copy = (value: T) => {
    const cells = shown.filter((column) => column.value).map((column) => column.value!(value) ?? '')
    if (cells.length > 0) void navigator.clipboard?.writeText(cells.join('\t'))
  }
  const keys = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget || event.altKey) return
    const value = row(current)
    if ((event.ctrlKey || event.metaKey) && event.key === 'c' && value !== undefined) {
      if (String(window.getSelection() ?? '') === '') copy(value)
      return
    }
    if (event.ctrlKey || event.metaKey) return
    const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 300) / rowHeight) - 2)
    const moves: Record<string, number> = {
      ArrowDown: current + 1,
      j: current + 1,
      ArrowUp: current - 1,
      k: current - 1,
      PageDown: current + page,
      PageUp: current - page,
      Home: 0,
      End: total - 1,
    }
    if (event.key in moves) {
      if (event.shiftKey && onPick && value !== undefined) onPick(value)
      move(moves[event.key]!)
    } else if (event.key === 'Enter' && value !== undefined) onOpen?.(value, current)
    else if (event.key === 'x' && value !== undefined) onPick?.(value)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  // tracks must come out the same in every row, so none may depend on what a cell holds
  const tracks = shown.map(({ id: name, width }) => (name in kept.widths ? `${kept.widths[name]}px` : width))
  const least = tracks.reduce((sum, width) => sum + Number(/(\d+)px/.exec(width)?.[1] ?? 80), 0)
  const style = { '--columns': tracks.join(' '), '--least': `${least}px` } as React.CSSProperties
  const [header] = table.getHeaderGroups()
  return (
    <div
      className="rows grow"
      style={{ ...style, ...(props.height === undefined ? {} : { height: props.height, flex: 'none' }) }}
    >
      <Columns columns={columns} kept={kept} usual={first} keep={keep} />
      <MuiTable
        component="div"
        ref={scroll}
        className="rows-scroll"
        role="grid"
        tabIndex={0}
        aria-label={label}
        aria-rowcount={total + 1}
        aria-activedescendant={current >= 0 ? `${id}-${current}` : undefined}
        onKeyDown={keys}
        onFocus={() => {
          if (current < 0 && total > 0) setChosen(0)
        }}
      >
        <TableHead component="div" className="rows-head" role="row" aria-rowindex={1}>
          {shown.map((column) => {
            const own = header?.headers.find((one) => one.id === column.id)
            const direction = own?.column.getIsSorted() || undefined
            return (
              <TableCell
                key={column.id}
                component="span"
                role="columnheader"
                className={column.number ? 'number' : ''}
                aria-sort={
                  direction === undefined ? undefined : direction === 'asc' ? 'ascending' : 'descending'
                }
              >
                {own?.column.getCanSort() ? (
                  <TableSortLabel
                    active={direction !== undefined}
                    direction={direction ?? 'asc'}
                    onClick={own.column.getToggleSortingHandler()}
                  >
                    {column.title}
                  </TableSortLabel>
                ) : (
                  column.title
                )}
                {own && (
                  <span
                    className="resizer"
                    aria-hidden="true"
                    onDoubleClick={() => {
                      const { [column.id]: _, ...widths } = kept.widths
                      keep({ ...kept, widths })
                    }}
                    onMouseDown={(event) => {
                      const width = event.currentTarget.parentElement!.getBoundingClientRect().width
                      table.setColumnSizing((before) => ({ ...before, [column.id]: Math.round(width) }))
                      own.getResizeHandler()(event)
                    }}
                  />
                )}
              </TableCell>
            )
          })}
        </TableHead>
        <TableBody
          component="div"
          role="rowgroup"
          style={{ display: 'block', height: windowed.getTotalSize(), position: 'relative' }}
        >
          {items.map((item) => {
            const value = row(item.index)
            return (
              <Line
                key={item.key}
                id={`${id}-${item.index}`}
                value={value}
                index={item.index}
                start={item.start}
                height={rowHeight}
                columns={shown as readonly TableColumn<unknown>[]}
                current={item.index === current}
                opens={onOpen !== undefined}
                faded={value !== undefined && props.faded?.(value) === true}
                onPress={press}
              />
            )
          })}
        </TableBody>
        {total === 0 && props.empty}
      </MuiTable>
    </div>
  )
}

/** Which columns a table shows, and back to its usual widths and order. */
function Columns<T>({
  columns,
  kept,
  usual,
  keep,
}: {
  columns: readonly TableColumn<T>[]
  kept: TableSettings
  usual: TableSettings
  keep: (kept: TableSettings) => void
}): ReactElement | null {
  const [at, setAt] = useState<HTMLElement | null>(null)
  const named = columns.filter(({ title }) => title !== '')
  if (named.length < 4) return null
  const changed = JSON.stringify(kept) !== JSON.stringify(usual)
  return (
    <>
      <Tooltip title="columns">
        <IconButton
          className="rows-columns"
          size="small"
          aria-label="columns"
          aria-haspopup="menu"
          tabIndex={-1}
          onClick={(event) => setAt(event.currentTarget)}
        >
          <ViewColumnIcon />
        </IconButton>
      </Tooltip>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        {named.map(({ id, title }) => {
          const hidden = kept.hidden.includes(id)
          return (
            <MenuItem
              key={id}
              role="menuitemcheckbox"
              aria-checked={!hidden}
              disabled={!hidden && named.length - kept.hidden.length < 2}
              onClick={() =>
                keep({
                  ...kept,
                  hidden: hidden ? kept.hidden.filter((name) => name !== id) : [...kept.hidden, id],
                })
              }
            >
              <Checkbox
                checked={!hidden}
                tabIndex={-1}
                sx={{ p: 0, mr: 1, '& svg': { fontSize: 17 } }}
                slotProps={{ input: { 'aria-hidden': true } }}
              />
              {title}
            </MenuItem>
          )
        })}
        <Divider />
        <MenuItem disabled={!changed} onClick={() => keep(usual)}>
          as it was at first
        </MenuItem>
      </Menu>
    </>
  )
}
