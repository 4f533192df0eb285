import type { ReactElement } from 'react'
import { StateBox, type State } from './State'

export interface StripBar {
  readonly label: string
  readonly value: number
  readonly state?: State
}

/** The middle of the values that are not nothing: what counts as usual. */
export function usual(values: readonly number[]): number {
  const sorted = values.filter((value) => value > 0).sort((a, b) => a - b)
  const half = sorted.length >> 1
  if (sorted.length === 0) return 0
  return sorted.length % 2 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2
}

/** Bars along time on a baseline, height = value against the usual; more than 1.4 times the usual is cut. */
export function Strip({
  bars,
  width,
  height,
  label,
}: {
  bars: readonly StripBar[]
  width: number
  height: number
  label: string
}): ReactElement {
  const middle = usual(bars.map(({ value }) => value)) || 1
  const step = width / Math.max(1, bars.length)
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      height={height}
      role="img"
      aria-label={label}
    >
      {bars.map(({ label: of, value, state = 'done' }, i) => {
        const tall = Math.min(1, value / middle / 1.4) * (height - 1)
        return (
          <g key={i}>
            <title>{of}</title>
            <rect x={i * step} y={0} width={step} height={height} fill="transparent" />
            {value > 0 && (
              <StateBox
                state={state}
                x={i * step + 0.5}
                y={height - 1 - tall}
                width={Math.max(1, step - 1)}
                height={tall}
              />
            )}
          </g>
        )
      })}
      <path
        d={`M0 ${height - 0.5}H${width}`}
        stroke="var(--ink)"
        strokeWidth="1"
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  )
}
