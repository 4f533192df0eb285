import { useVirtualizer } from '@tanstack/react-virtual'
import {
  memo,
  useCallback,
  useEffect,
  useId,
  useRef,
  useState,
  type KeyboardEvent,
  type ReactElement,
  type ReactNode,
} from 'react'

export interface RowsColumn<T> {
  readonly id: string
  readonly title: ReactNode
  /** A CSS grid track, such as `minmax(90px, 1fr)`. */
  readonly width: string
  readonly number?: boolean
  readonly mono?: boolean
  readonly cell: (row: T, index: number) => ReactNode
  readonly hint?: (row: T) => string | undefined
}

interface Props<T> {
  readonly label: string
  readonly columns: readonly RowsColumn<T>[]
  readonly total: number
  /** Undefined while it is fetched. */
  readonly row: (index: number) => T | undefined
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

interface LineProps {
  readonly id: string
  readonly value: unknown
  readonly index: number
  /** Pixels from the top. */
  readonly start: number
  readonly height: number
  readonly columns: readonly RowsColumn<unknown>[]
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
    <div
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
    </div>
  )
})

/** The one table: sticky header, keyboard rows, windowed. Arrows or j and k move, Enter opens, x picks. */
export function Rows<T>(props: Props<T>): ReactElement {
  const { columns, total, row, rowHeight = 29, onSeen, onOpen, onPick, onCurrent } = props
  const scroll = useRef<HTMLDivElement>(null)
  const [chosen, setChosen] = useState(-1)
  const current = props.current ?? chosen
  const id = useId()
  const windowed = useVirtualizer({
    count: total,
    getScrollElement: () => scroll.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  const items = windowed.getVirtualItems()
  const first = items[0]?.index ?? 0
  const last = items.at(-1)?.index ?? 0
  useEffect(() => onSeen?.(first, last), [onSeen, first, last])

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
  const keys = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || event.target !== event.currentTarget) return
    const page = Math.max(1, Math.floor((scroll.current?.clientHeight ?? 300) / rowHeight) - 2)
    const value = row(current)
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
  const least = columns.reduce((sum, { width }) => sum + Number(/(\d+)px/.exec(width)?.[1] ?? 80), 0)
  const style = {
    '--columns': columns.map(({ width }) => width).join(' '),
    '--least': `${least}px`,
  } as React.CSSProperties
  return (
    <div
      className="rows grow"
      style={{ ...style, ...(props.height === undefined ? {} : { height: props.height, flex: 'none' }) }}
    >
      <div
        ref={scroll}
        className="rows-scroll"
        role="grid"
        tabIndex={0}
        aria-label={props.label}
        aria-rowcount={total + 1}
        aria-activedescendant={current >= 0 ? `${id}-${current}` : undefined}
        onKeyDown={keys}
        onFocus={() => {
          if (current < 0 && total > 0) setChosen(0)
        }}
      >
        <div className="rows-head" role="row" aria-rowindex={1}>
          {columns.map((column) => (
            <span key={column.id} role="columnheader" className={column.number ? 'number' : undefined}>
              {column.title}
            </span>
          ))}
        </div>
        <div role="rowgroup" style={{ height: windowed.getTotalSize(), position: 'relative' }}>
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
                columns={columns as readonly RowsColumn<unknown>[]}
                current={item.index === current}
                opens={onOpen !== undefined}
                faded={value !== undefined && props.faded?.(value) === true}
                onPress={press}
              />
            )
          })}
        </div>
        {total === 0 && props.empty}
      </div>
    </div>
  )
}
