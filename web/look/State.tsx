import type { ReactElement } from 'react'

/** The states that a load, a run or a step can be in. */
export type State = 'waiting' | 'ready' | 'running' | 'done' | 'failed' | 'held' | 'skipped' | 'stopped'

/** The textures' patterns; once in a page. Colour only seconds them: each differs in shape too. */
export function Textures(): ReactElement {
  return (
    <svg width="0" height="0" style={{ position: 'absolute' }} aria-hidden="true">
      <defs>
        <pattern
          id="texture-running"
          width="6"
          height="6"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width="6" height="6" fill="var(--stripe)" />
          <rect width="3" height="6" fill="var(--ochre)" />
        </pattern>
        <pattern id="texture-failed" width="5" height="5" patternUnits="userSpaceOnUse">
          <rect width="5" height="5" fill="var(--rust)" />
          <path d="M0 0L5 5M5 0L0 5" stroke="var(--rust-ink)" strokeWidth=".9" />
        </pattern>
        <pattern id="texture-nothing" width="4" height="4" patternUnits="userSpaceOnUse">
          <circle cx="1" cy="1" r=".8" fill="var(--grey)" />
        </pattern>
      </defs>
    </svg>
  )
}

interface Box {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

/** A state drawn in a box of an SVG. `tone` shades neighbouring steps that are done; `rejected` is a share of rows. */
export function StateBox({
  state,
  x,
  y,
  width,
  height,
  tone = 0,
  rejected = 0,
}: Box & { state: State; tone?: number; rejected?: number }): ReactElement {
  const w = Math.max(width, 1)
  const inner = { x: x + 0.5, y: y + 0.5, width: Math.max(w - 1, 0.5), height: height - 1, fill: 'none' }
  switch (state) {
    case 'done': {
      const cap = rejected > 0 ? Math.max(2, Math.round(height * rejected)) : 0
      return (
        <>
          <rect
            x={x}
            y={y}
            width={w}
            height={height}
            fill={['var(--slate)', 'var(--slate2)', 'var(--slate3)'][tone % 3]}
          />
          {cap > 0 && <rect x={x} y={y} width={w} height={cap} fill="var(--ochre)" />}
        </>
      )
    }
    case 'running':
      return <rect x={x} y={y} width={w} height={height} fill="url(#texture-running)" />
    case 'failed':
      return <rect x={x} y={y} width={w} height={height} fill="url(#texture-failed)" />
    case 'waiting':
      return <rect {...inner} stroke="var(--ochre)" strokeDasharray="3 2" />
    case 'ready':
      return <rect {...inner} stroke="var(--grey)" strokeDasharray="3 2" />
    case 'held':
      return (
        <>
          <rect {...inner} stroke="var(--ink)" />
          <path
            d={`M${x + w / 2 - 2} ${y + 3}v${height - 6}M${x + w / 2 + 2} ${y + 3}v${height - 6}`}
            stroke="var(--ink)"
            strokeWidth="1.6"
          />
        </>
      )
    case 'skipped':
      return <path d={`M${x} ${y + height / 2}h${w}`} stroke="var(--grey)" strokeWidth="1.4" />
    case 'stopped':
      return (
        <>
          <path d={`M${x} ${y + height / 2}h${w}`} stroke="var(--grey)" strokeWidth="1.4" />
          <path d={`M${x + w - 1} ${y + 1}v${height - 2}`} stroke="var(--ink)" strokeWidth="2" />
        </>
      )
  }
}

/** A state as a small mark beside its word. */
export function StateMark({ state, size = 12 }: { state: State; size?: number }): ReactElement {
  return (
    <svg width={size} height={size} aria-hidden="true" style={{ verticalAlign: '-1px', flex: 'none' }}>
      <StateBox state={state} x={0} y={0} width={size} height={size} />
    </svg>
  )
}

const tones: Partial<Record<State, string>> = { failed: 'bad', running: 'look', waiting: 'look' }

export function StateWord({ state }: { state: State }): ReactElement {
  return (
    <span className={tones[state]} style={{ display: 'inline-flex', gap: 7, alignItems: 'center' }}>
      <StateMark state={state} />
      {state}
    </span>
  )
}

/** How far something is: done, running and the rest in one bar. */
export function Progress({
  done,
  running,
  failed,
  total,
  width = 150,
}: {
  done: number
  running: number
  failed: number
  total: number
  width?: number
}): ReactElement {
  const scale = width / Math.max(total, 1)
  const parts: [State, number][] = [['done', done], ['failed', failed], ['running', running]] // prettier-ignore
  let x = 0
  const boxes = parts.flatMap(([state, count]) => {
    if (count === 0) return []
    const box = <StateBox key={state} state={state} x={x} y={1} width={count * scale} height={12} />
    x += count * scale
    return [box]
  })
  return (
    <svg
      width={width}
      height={14}
      role="img"
      aria-label={`${done} done, ${running} running, ${failed} failed of ${total}`}
      style={{ flex: 'none' }}
    >
      <rect
        x=".5"
        y="1.5"
        width={width - 1}
        height="11"
        fill="none"
        stroke="var(--grey)"
        strokeDasharray="2 2"
      />
      {boxes}
    </svg>
  )
}
