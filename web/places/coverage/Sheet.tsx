import { useVirtualizer } from '@tanstack/react-virtual'
import {
  memo,
  useEffect,
  useId,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type PointerEvent,
  type ReactElement,
} from 'react'
import { Link } from 'react-router'
import { ticks } from '../../../core/coverage/ticks'
import { Bars, type Bar } from '../../look/Bars'
import { count, numberText } from '../../look/times'
import { stateOf, pickKey, sliceAt, within, nextGap, type Line, type Place, type RowLine } from './lines'
import { sliceWords } from './words'

const left = 196
const right = 12
const barHeight = 24
const usualGaps = 'missing or failed'
const heights = { row: 34, group: 30 }

interface Props {
  readonly lines: readonly Line[]
  /** Of the axis, as milliseconds since 1970. */
  readonly from: number
  readonly until: number
  readonly zone: string
  readonly cursor: Place | undefined
  readonly picked: ReadonlySet<string>
  readonly onCursor: (cursor: Place) => void
  readonly onPicked: (picked: ReadonlySet<string>) => void
}

/**
 * Rows along data time. Arrows go from slice to slice and row to row, Shift with them picks a stretch, x one, n goes to the
 * next that is missing; with the mouse a stretch is picked by dragging over it.
 */
export function Sheet({ lines, from, until, zone, cursor, picked, onCursor, onPicked }: Props): ReactElement {
  const scroller = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(1000)
  const [anchor, setAnchor] = useState<Place>()
  /** Where a stretch is being dragged from, with what was picked before. */
  const dragged = useRef<{ readonly at: Place; readonly x: number; readonly before: ReadonlySet<string> }>(undefined)
  const id = useId()
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width))
    watcher.observe(scroller.current!)
    return () => watcher.disconnect()
  }, [])
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (at) => heights[lines[at]!.kind],
    getItemKey: (at) => lines[at]!.id,
    overscan: 6,
    initialRect: { width: 1000, height: 560 },
  })
  const plot = Math.max(100, width - left - right)
  const scale = plot / Math.max(1, until - from)
  const marks = useMemo(() => ticks(from, until, Math.floor(plot / 76), zone), [from, until, plot, zone])
  const pickedOf = useMemo(() => byLine(picked), [picked])

  /** The slice under the pointer. */
  const placeAt = (event: PointerEvent<HTMLElement>, line: number): Place | undefined => {
    const one = lines[line]
    if (one?.kind !== 'row') return undefined
    const box = event.currentTarget.getBoundingClientRect()
    const slice = sliceAt(one.times, from + (event.clientX - box.left) / scale)
    return slice < 0 ? undefined : { line, slice }
  }
  const go = (next: Place, extend: boolean) => {
    onCursor(next)
    rows.scrollToIndex(next.line)
    if (extend) {
      const start = anchor ?? cursor ?? next
      setAnchor(start)
      onPicked(new Set(within(lines, start, next)))
    } else setAnchor(next)
  }
  const onKeyDown = (event: KeyboardEvent) => {
    const place = cursor ?? firstPlace(lines, until)
    if (!place || event.ctrlKey || event.metaKey || event.altKey) return
    const line = lines[place.line] as RowLine
    const next = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    const down = { ArrowUp: -1, ArrowDown: 1, k: -1, j: 1, PageUp: -10, PageDown: 10 }[event.key]
    if (next !== undefined) go({ ...place, slice: nextAsked(line, place.slice, next) }, event.shiftKey)
    else if (down !== undefined) {
      const to = rowFrom(lines, place.line, down)
      const middle = (line.times.from[place.slice]! + line.times.to[place.slice]!) / 2
      if (to !== undefined) go({ line: to, slice: sliceAt((lines[to] as RowLine).times, middle) }, event.shiftKey)
    } else if (event.key === 'Home' || event.key === 'End')
      go({ ...place, slice: event.key === 'Home' ? nextAsked(line, -1, 1) : nextAsked(line, line.times.from.length, -1) }, event.shiftKey)
    else if (event.key === 'n') {
      const gap = nextGap(lines, cursor)
      if (gap) go(gap, false)
    } else if (event.key === 'x') onPicked(toggled(picked, pickKey(line, place.slice)))
    else if (event.key === 'Escape') onPicked(new Set())
    else if (event.key === 'Enter') go(place, false)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  return (
    <div>
      <svg width="100%" height="20" aria-hidden="true" style={{ display: 'block' }}>
        {marks.map(({ at, label }) => (
          <text key={at} x={left + (at - from) * scale} y="13" fontSize="11" fill="var(--soft)">
            {label}
          </text>
        ))}
      </svg>
      <div
        ref={scroller}
        role="grid"
        tabIndex={0}
        aria-label="what was loaded, row by row"
        aria-rowcount={lines.length}
        aria-activedescendant={cursor ? `${id}-cell` : undefined}
        onKeyDown={onKeyDown}
        style={{ overflowY: 'auto', maxHeight: 'max(240px, calc(100vh - 360px))', position: 'relative' }}
      >
        <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
          {rows.getVirtualItems().map(({ index, start, key }) => {
            const line = lines[index]!
            return (
              <div key={key} role="row" aria-rowindex={index + 1} style={{ position: 'absolute', top: start, left: 0, right: 0, height: heights[line.kind], display: 'flex' }}>
                {line.kind === 'group' ? (
                  <GroupHead line={line} />
                ) : (
                  <>
                    <div role="rowheader" title={line.title} className="line" style={{ width: left - 6, padding: '3px 4px 0 6px', flex: 'none', gap: 6, color: line.row.there ? undefined : 'var(--soft)' }}>
                      <span className="cut">{line.title}</span>
                      {line.row.gaps > 0 && <span className="bad" title={`${count(line.row.gaps, 'slice')} ${line.gapsAre ?? usualGaps}`}>{numberText(line.row.gaps)}</span>}
                    </div>
                    <div
                      style={{ width: plot, marginLeft: 6, flex: 'none', position: 'relative', cursor: 'crosshair', touchAction: 'pan-y' }}
                      onPointerDown={(event) => {
                        const place = placeAt(event, index)
                        if (!place || event.button !== 0) return
                        scroller.current?.focus({ preventScroll: true })
                        event.currentTarget.setPointerCapture(event.pointerId)
                        if (event.shiftKey && cursor) return go(place, true)
                        dragged.current = { at: place, x: event.clientX, before: event.ctrlKey || event.metaKey ? picked : new Set() }
                        onCursor(place)
                        setAnchor(place)
                      }}
                      onPointerMove={(event) => {
                        const drag = dragged.current
                        if (!drag || Math.abs(event.clientX - drag.x) + (drag.at.line === lineUnder(event, rows.getVirtualItems(), scroller.current!) ? 0 : 9) < 4) return
                        const over = lineUnder(event, rows.getVirtualItems(), scroller.current!)
                        const place = placeAt(event, over !== undefined && lines[over]?.kind === 'row' ? over : index)
                        if (place) onPicked(new Set([...drag.before, ...within(lines, drag.at, place)]))
                      }}
                      onPointerUp={(event) => {
                        const drag = dragged.current
                        dragged.current = undefined
                        if (!drag || Math.abs(event.clientX - drag.x) >= 4) return
                        if (event.ctrlKey || event.metaKey) onPicked(toggled(picked, pickKey(line, drag.at.slice)))
                      }}
                      onPointerCancel={() => (dragged.current = undefined)}
                    >
                      <Row line={line} from={from} scale={scale} width={plot} picked={pickedOf.get(line.id)} />
                      {cursor?.line === index && (
                        <div
                          id={`${id}-cell`}
                          role="gridcell"
                          aria-selected={picked.has(pickKey(line, cursor.slice))}
                          aria-label={sliceWords(line, cursor.slice)}
                          style={{
                            position: 'absolute', pointerEvents: 'none', top: 3, height: barHeight + 6, border: '1.5px solid var(--ink)', borderRadius: 2,
                            left: (line.times.from[cursor.slice]! - from) * scale - 2, width: Math.max(6, (line.times.to[cursor.slice]! - line.times.from[cursor.slice]!) * scale + 3),
                          }}
                        />
                      )}
                    </div>
                  </>
                )}
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
} // prettier-ignore

function GroupHead({ line }: { readonly line: Extract<Line, { kind: 'group' }> }): ReactElement {
  return (
    <div role="rowheader" style={{ padding: '9px 6px 0', whiteSpace: 'nowrap', overflow: 'hidden', textOverflow: 'ellipsis' }}>
      <b>{line.job === null ? line.title : <Link to={`/jobs/${line.job}`}>{line.title}</Link>}</b>{' '}
      <span className="soft">
        {count(line.rows, 'row')}
        {line.note !== null && ` · ${line.note}`}
      </span>
      {line.gaps > 0 && <span className="bad"> · {count(line.gaps, 'slice')} {line.gapsAre ?? usualGaps}</span>}
    </div>
  )
} // prettier-ignore

/** The bars of one row; drawn once, however often it is scrolled past. */
const Row = memo(function Row({ line, from, scale, width, picked }: { readonly line: RowLine; readonly from: number; readonly scale: number; readonly width: number; readonly picked: ReadonlySet<number> | undefined }): ReactElement {
  const bars = useMemo(() => barsOf(line, from, scale, width), [line, from, scale, width])
  return (
    <svg width={width} height={heights.row} role="img" aria-label={`${line.title}: ${count(line.row.gaps, 'slice')} ${line.gapsAre ?? usualGaps}`} style={{ display: 'block' }}>
      {picked && (
        <path
          fill="var(--spruce)"
          opacity="0.22"
          d={[...picked].map((slice) => `M${(line.times.from[slice]! - from) * scale} 3h${Math.max(1, (line.times.to[slice]! - line.times.from[slice]!) * scale)}v${barHeight + 6}H${(line.times.from[slice]! - from) * scale}z`).join('')}
        />
      )}
      <g transform="translate(0 6)">
        <Bars bars={bars} height={barHeight} width={width} />
      </g>
    </svg>
  )
}) // prettier-ignore

function barsOf(line: RowLine, from: number, scale: number, width: number): Bar[] {
  const { row, times, usual: middle, rejected, job, drawn } = line
  const restated = job.restatedFrom === null ? Infinity : Date.parse(job.restatedFrom)
  const bars: Bar[] = []
  times.from.forEach((begins, slice) => {
    const state = stateOf(line, slice)
    if (state === 'nothing' || state === 'before') return
    const [x, end] = [
      Math.max(0, (begins - from) * scale),
      Math.min(width, (times.to[slice]! - from) * scale),
    ]
    const rows = row.rows[slice]!
    const own = drawn?.[slice]
    if (own) {
      bars.push({ x, width: end - x, state: own.state, share: 1, rejected: own.capped, restated: false })
      return
    }
    const lost = rejected.get(slice) ?? 0
    bars.push({ x, width: end - x, state, share: middle === 0 ? 0 : rows / middle, rejected: lost === 0 ? 0 : lost / (rows + lost), restated: begins >= restated }) // prettier-ignore
  })
  return bars
}

/** What is picked, line by line, so that a row is drawn anew only where its own changed. */
function byLine(picked: ReadonlySet<string>): Map<string, Set<number>> {
  const lines = new Map<string, Set<number>>()
  for (const key of picked) {
    const cut = key.lastIndexOf('\t')
    const id = key.slice(0, cut)
    const slices = lines.get(id)
    if (slices) slices.add(Number(key.slice(cut + 1)))
    else lines.set(id, new Set([Number(key.slice(cut + 1))]))
  }
  return lines
}

function toggled(picked: ReadonlySet<string>, key: string): Set<string> {
  const next = new Set(picked)
  if (!next.delete(key)) next.add(key)
  return next
}

/** The next slice of a row that is asked for, in a direction; the same where there is none. */
function nextAsked(line: RowLine, from: number, by: number): number {
  for (let slice = from + by; slice >= 0 && slice < line.times.from.length; slice += by)
    if (stateOf(line, slice) !== 'nothing') return slice
  return Math.min(Math.max(0, from), line.times.from.length - 1)
}

/** The row so many rows away, as far as there are any; undefined where there is none. */
function rowFrom(lines: readonly Line[], from: number, by: number): number | undefined {
  let last: number | undefined
  for (let at = from + Math.sign(by), left = Math.abs(by); at >= 0 && at < lines.length && left > 0; at += Math.sign(by)) {
    const line = lines[at]!
    if (line.kind === 'group' || line.times.from.length === 0) continue
    last = at
    left--
  }
  return last
} // prettier-ignore

/** Where one begins: the newest slice of the first row. */
function firstPlace(lines: readonly Line[], until: number): Place | undefined {
  const line = lines.findIndex((one) => one.kind === 'row' && one.times.from.length > 0)
  return line < 0 ? undefined : { line, slice: sliceAt((lines[line] as RowLine).times, until) }
}

/** The line that the pointer is over, while another has caught it. */
function lineUnder(event: PointerEvent, items: readonly { readonly index: number; readonly start: number; readonly size: number }[], scroller: HTMLElement): number | undefined {
  const y = event.clientY - scroller.getBoundingClientRect().top + scroller.scrollTop
  return items.find(({ start, size }) => y >= start && y < start + size)?.index
} // prettier-ignore
