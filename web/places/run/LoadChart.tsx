import { useEffect, useMemo, useRef, useState, type ReactElement, type ReactNode } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { hasEnded } from '../../../core/run/when'
import { StateBox, type State } from '../../look/State'
import { lengthText, numberText } from '../../look/times'
import { Tick } from '../../kit/controls'
import { Table, type TableColumn } from '../../kit/Table'

export type LoadRow = Answer<typeof routes.runLoads>['loads'][number]
type RunAnswer = Answer<typeof routes.run>

interface Props {
  readonly run: RunAnswer
  readonly total: number
  readonly row: (index: number) => LoadRow | undefined
  readonly onSeen: (first: number, last: number) => void
  readonly chosen: number | undefined
  readonly onChoose: (row: LoadRow) => void
  /** Loads that something is to be done with; undefined where nothing may be. */
  readonly picked: ReadonlyMap<number, LoadRow> | undefined
  readonly onPick: (row: LoadRow) => void
}

/** Width of the loads' names, in pixels. */
/** Pixels for the names of loads, with room and without. */
const labelsWide = 226
const labelsNarrow = 150

/** Round steps for a time axis, in milliseconds. */
const steps = [
  100, 200, 500, 1e3, 2e3, 5e3, 1e4, 2e4, 3e4, 6e4, 12e4, 3e5, 6e5, 12e5, 18e5, 36e5, 72e5, 216e5,
]

/** Milliseconds of the run's own time since it started; runs on while it is running. */
function useElapsed(run: RunAnswer): number {
  const start = new Date(run.startedAt ?? run.createdAt).getTime()
  const end = run.endedAt ? new Date(run.endedAt).getTime() : undefined
  const [now, setNow] = useState(Date.now)
  useEffect(() => {
    if (end !== undefined) return
    const timer = setInterval(() => setNow(Date.now()), 500)
    return () => clearInterval(timer)
  }, [end])
  return Math.max(200, (end ?? now + run.clockOffset) - start)
}

/** Loads along time: a bar for each step, stripes for what runs (never past now), cross-hatch for what failed. */
export function LoadChart({
  run,
  total,
  row,
  onSeen,
  chosen,
  onChoose,
  picked,
  onPick,
}: Props): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const [room, setRoom] = useState(420 + labelsWide + 102)
  const labels = room < 560 ? labelsNarrow : labelsWide
  const width = Math.max(160, room - labels - 84 - 18 - (picked ? 30 : 0))
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setRoom(entry!.contentRect.width))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  const elapsed = useElapsed(run)
  const running = !hasEnded(run.state)
  const span = running ? elapsed * 1.12 : elapsed * 1.02
  const scale = (width - 8) / span
  const every = steps.find((step) => span / step <= 7) ?? steps.at(-1)!
  const ticks = useMemo(
    () => Array.from({ length: Math.floor(span / every) + 1 }, (_, i) => i * every),
    [span, every],
  )
  const nowX = elapsed * scale
  const ticksColumn: TableColumn<LoadRow>[] = picked
    ? [{ id: 'pick', title: '', width: '30px', cell: (load) => <Tick label={`pick ${load.key}`} checked={picked.has(load.id)} onChange={() => onPick(load)} /> }]
    : [] // prettier-ignore
  const columns: TableColumn<LoadRow>[] = [
    ...ticksColumn,
    { id: 'key', title: 'load', width: `${labels}px`, cell: ({ key }) => key, hint: ({ key }) => key },
    {
      id: 'time', width: `${width}px`,
      title: <Axis ticks={ticks} scale={scale} width={width} />,
      cell: (load) => <Bar load={load} run={run} scale={scale} width={width} nowX={nowX} ticks={ticks} />,
      hint: describe,
    },
    { id: 'rows', title: 'rows', width: '84px', number: true, cell: rowsText },
  ] // prettier-ignore
  const current = useMemo(() => {
    if (chosen === undefined) return undefined
    for (let i = 0; i < Math.min(total, 20_000); i++) if (row(i)?.id === chosen) return i
    return -1
  }, [chosen, total, row])
  return (
    <div ref={holder} className="rows grow">
      <Table
        label="loads of the run along time"
        columns={columns}
        total={total}
        row={row}
        onSeen={onSeen}
        current={current}
        onCurrent={onChoose}
        {...(picked ? { onPick } : {})}
        rowHeight={27}
      />
    </div>
  )
}

function rowsText({ state, written, unchanged, rejected, each, waitsFor }: LoadRow): ReactNode {
  if (waitsFor !== null) return <span className="look">waits</span>
  if (!each || state === 'waiting' || state === 'ready' || state === 'running') return ''
  if (state !== 'done') return <span className={state === 'failed' ? 'bad' : 'soft'}>{state}</span>
  return (
    <>
      {rejected > 0 && <span className="look">−{numberText(rejected)} </span>}
      {numberText(written + unchanged)}
    </>
  )
}

function describe({ key, state, startedAt, endedAt, worker, attempt }: LoadRow): string {
  const took =
    startedAt && endedAt
      ? `, ${lengthText((new Date(endedAt).getTime() - new Date(startedAt).getTime()) / 1000)}`
      : ''
  return `${key}: ${state}${took}${worker ? `, worker ${worker}` : ''}${attempt > 1 ? `, attempt ${attempt}` : ''}`
}

function Axis({
  ticks,
  scale,
  width,
}: {
  ticks: readonly number[]
  scale: number
  width: number
}): ReactElement {
  return (
    <svg width={width} height="26" style={{ display: 'block', margin: '0 -8px' }} aria-hidden="true">
      {/* a label that would be cut at the end is left out */}
      {ticks
        .filter((time) => time * scale + 50 < width)
        .map((time) => (
          <text key={time} x={time * scale + 8} y="18" fontSize="11" fontWeight="400" fill="var(--soft)">
            {time === 0 ? '0 s' : lengthText(time / 1000)}
          </text>
        ))}
    </svg>
  )
}

/** One load's bar. */
function Bar({
  load,
  run,
  scale,
  width,
  nowX,
  ticks,
}: {
  load: LoadRow
  run: RunAnswer
  scale: number
  width: number
  nowX: number
  ticks: readonly number[]
}): ReactElement {
  const start = new Date(run.startedAt ?? run.createdAt).getTime()
  const at = (iso: string) => (new Date(iso).getTime() - start) * scale
  const boxes: { state: State; x: number; to: number; rejected: number; tone: number }[] = []
  const share = load.read > 0 ? load.rejected / load.read : 0
  load.steps.forEach((step, i) => {
    if (step.to === null) return
    boxes.push({
      state: step.state,
      x: step.from * scale,
      to: step.to * scale,
      rejected: i === 0 ? share : 0,
      tone: i,
    })
  })
  const begun = load.startedAt ? at(load.startedAt) : undefined
  const seen = boxes.at(-1)?.to ?? begun ?? 0
  if (load.state === 'running' && begun !== undefined)
    boxes.push({ state: 'running', x: seen, to: Math.max(nowX, seen), rejected: 0, tone: 0 })
  if (boxes.length === 0) {
    const x = begun ?? nowX
    const to = load.endedAt && load.startedAt ? at(load.endedAt) : x + Math.max(26, width * 0.08)
    boxes.push({
      state: load.state,
      x: Math.min(x, width - 26),
      to: Math.min(to, width),
      rejected: 0,
      tone: 0,
    })
  }
  return (
    <svg width={width} height="26" style={{ display: 'block', margin: '0 -8px' }} aria-hidden="true">
      {ticks.map((time) => (
        <path key={time} d={`M${time * scale + 8} 0V27`} stroke="var(--faint)" />
      ))}
      <g transform="translate(8 0)">
        {boxes.map(({ state, x, to, rejected, tone }, i) => (
          <StateBox
            key={i}
            state={state}
            x={x}
            y={6}
            width={Math.max(2, to - x - (i < boxes.length - 1 ? 0.6 : 0))}
            height={15}
            rejected={rejected}
            tone={tone}
          />
        ))}
        {run.state === 'running' && <path d={`M${nowX} 0V27`} stroke="var(--ink)" strokeWidth="1.3" />}
      </g>
    </svg>
  )
}
