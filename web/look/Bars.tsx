import { useMemo, type ReactElement } from 'react'
import type { CellState } from '../../core/coverage/cells'

/** What a bar shows: what became of a slice, or of the file that it expects. */
export type BarState = CellState | 'late' | 'empty'

/** A slice as it is drawn: where, what became of it, and how much. */
export interface Bar {
  readonly x: number
  readonly width: number
  readonly state: BarState
  /** Rows against the usual, 1 for as many; more than 1.4 is cut. */
  readonly share: number
  /** Share of rows that were rejected. */
  readonly rejected: number
  /** The next run loads it again. */
  readonly restated: boolean
}

/** More than so many times the usual is cut. */
const tallest = 1.4
/** Pixels of the cap of what will be restated. */
const cap = 4

/**
 * Many slices of a row on a baseline, each state in its texture. All of a texture are one path, so that hundreds of slices in
 * each of hundreds of rows are drawn in a glance.
 */
export function Bars({ bars, height, width }: { readonly bars: readonly Bar[]; readonly height: number; readonly width: number }): ReactElement {
  const paths = useMemo(() => pathsOf(bars, height), [bars, height])
  return (
    <g shapeRendering="crispEdges">
      <path d={paths.slate} fill="var(--slate)" />
      <path d={paths.pale} fill="var(--slate3)" />
      <path d={paths.ochre} fill="var(--ochre)" />
      <path d={paths.failed} fill="url(#texture-failed)" />
      <path d={paths.running} fill="url(#texture-running)" />
      <path d={paths.missing} fill="url(#texture-nothing)" />
      <path d={paths.missing} fill="none" stroke="var(--rust)" strokeDasharray="2 2" />
      <path d={paths.late} fill="url(#texture-nothing)" />
      <path d={paths.late} fill="none" stroke="var(--ochre)" strokeDasharray="2 2" />
      <path d={paths.waiting} fill="none" stroke="var(--ochre)" strokeDasharray="3 2" />
      <path d={paths.expected} fill="none" stroke="var(--grey)" strokeDasharray="3 2" />
      <path d={paths.lines} fill="none" stroke="var(--grey)" strokeWidth="1.4" />
      <path d={paths.held} fill="none" stroke="var(--ink)" />
      <path d={`M0 ${height - 0.5}H${width}`} stroke="var(--ink)" />
    </g>
  )
} // prettier-ignore

type Paths = Record<'slate' | 'pale' | 'ochre' | 'failed' | 'running' | 'missing' | 'late' | 'waiting' | 'expected' | 'lines' | 'held', string> // prettier-ignore

function pathsOf(bars: readonly Bar[], height: number): Paths {
  /** Where a run of bars without room between them has come to; they are one outline. */
  let skyline: number | undefined
  const paths: Paths = { slate: '', pale: '', ochre: '', failed: '', running: '', missing: '', late: '', waiting: '', expected: '', lines: '', held: '' } // prettier-ignore
  const base = height - 1
  const box = (x: number, y: number, width: number, tall: number) =>
    `M${round(x)} ${round(y)}h${round(width)}v${round(tall)}h${round(-width)}z`
  const outline = (x: number, width: number) => box(x + 0.5, base * 0.2, Math.max(1, width - 1), base * 0.8 - 0.5) // prettier-ignore
  for (const { x, width: whole, state, share, rejected, restated } of bars) {
    // neighbours are told apart where there is room for it
    const width = whole >= 4 ? whole - 1 : Math.max(0.6, whole)
    switch (state) {
      case 'loaded':
      case 'renewed': {
        const tall = Math.max(2, Math.min(1, share / tallest) * base)
        if (whole >= 4) paths.slate += box(x, base - tall, width, tall)
        else {
          if (skyline === undefined || Math.abs(skyline - x) > 0.01)
            paths.slate += `${skyline === undefined ? '' : `V${base}z`}M${round(x)} ${base}`
          paths.slate += `V${round(base - tall)}H${round(x + whole)}`
          skyline = x + whole
        }
        if (restated) paths.pale += box(x, base - tall, width, Math.min(cap, tall))
        if (rejected > 0) paths.ochre += box(x, base - tall, width, Math.max(2, tall * Math.min(1, rejected)))
        if (state === 'renewed') paths.failed += box(x, base - Math.min(6, tall), width, Math.min(6, tall))
        break
      }
      case 'failed':
        paths.failed += box(x, base * 0.2, width, base * 0.8)
        break
      case 'running':
        paths.running += box(x, base * 0.2, width, base * 0.8)
        break
      case 'missing':
        paths.missing += outline(x, width)
        break
      case 'late':
        paths.late += outline(x, width)
        break
      case 'empty':
        paths.held += outline(x, width)
        break
      case 'waiting':
        paths.waiting += outline(x, width)
        break
      case 'expected':
        paths.expected += outline(x, width)
        break
      case 'held':
        paths.held += `${outline(x, width)}M${round(x + width / 2)} ${round(base * 0.35)}v${round(base * 0.5)}`
        break
      case 'skipped':
        paths.lines += `M${round(x)} ${round(base / 2)}h${round(width)}`
        break
      case 'stopped':
        paths.lines += `M${round(x)} ${round(base / 2)}h${round(width)}v${round(base / 4)}v${round(-base / 2)}`
        break
      case 'before':
      case 'nothing':
        break
    }
  }
  if (skyline !== undefined) paths.slate += `V${base}z`
  return paths
}

const round = (value: number): number => Math.round(value * 100) / 100

/** A state of slices as a small mark beside its words. */
export function BarMark({ state, rejected = 0, restated = false }: { readonly state: BarState; readonly rejected?: number; readonly restated?: boolean }): ReactElement {
  return (
    <svg width="13" height="14" aria-hidden="true" style={{ verticalAlign: '-2px', flex: 'none' }}>
      <Bars bars={[{ x: 0, width: 13, state, share: 1.2, rejected, restated }]} height={14} width={13} />
    </svg>
  )
} // prettier-ignore
