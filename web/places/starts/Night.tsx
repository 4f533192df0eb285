import { ButtonBase } from '@mui/material'
import {
  useEffect,
  useMemo,
  useRef,
  useState,
  type KeyboardEvent,
  type PointerEvent,
  type ReactElement,
} from 'react'
import { useNavigate } from 'react-router'
import { isLate } from '../../../core/schedule/due'
import { StateBox, type State } from '../../look/State'
import { clock, lengthText, spanText, timeText } from '../../look/times'
import { placeLabel } from './label'
import {
  likelyWords,
  type Chosen,
  type ForeseenRun,
  type Outlook,
  type OutlookStart,
  type Played,
} from './answers'

const left = 190
const right = 12
const top = 8
const rowHeight = 34
const barHeight = 17

interface Props {
  readonly outlook: Outlook
  /** What the night would be with what was moved; the outlook's own where nothing was. */
  readonly played: Played
  readonly from: number
  readonly until: number
  readonly chosen: Chosen | undefined
  readonly onChoose: (chosen: Chosen) => void
  /** A start is let go at another time; undefined where the reader may not move any. */
  readonly onMove: ((start: OutlookStart, job: string, at: number, to: number) => void) | undefined
}

interface Dragged {
  readonly place: number
  readonly from: number
  readonly by: number
}

/** Milliseconds that a start is moved by at a time. */
const grain = 5 * 60_000

/**
 * Every start along the hours: what ran, what will begin and how long it will likely take, what waits for what, by when
 * it is to be done, and below how many loads run at once. Bars that go by time are moved by dragging, or Alt and an arrow.
 */
export function Night({ outlook, played, from, until, chosen, onChoose, onMove }: Props): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const navigate = useNavigate()
  const [width, setWidth] = useState(1000)
  const [seen, setSeen] = useState({ first: 0, last: 40 })
  const [dragged, setDragged] = useState<Dragged>()
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  const jobs = outlook.jobs
  const rowOf = useMemo(() => new Map(jobs.map(({ job }, row) => [job, row])), [jobs])
  const startsOf = useMemo(() => new Map(jobs.flatMap(({ job, starts }) => starts.map((start) => [`${job} ${start.id}`, start] as const))), [jobs])
  const perPixel = (until - from) / Math.max(1, width - left - right)
  const x = (time: number) => left + (Math.min(Math.max(time, from), until) - from) / perPixel
  const y = (row: number) => top + row * rowHeight
  const now = Date.parse(outlook.at)
  const visible = (row: number | undefined): row is number => row !== undefined && row >= seen.first && row <= seen.last
  const canMove = ({ job, start }: ForeseenRun) =>
    onMove !== undefined && start !== null && (startsOf.get(`${job} ${start}`)?.moves ?? false)
  const move = (run: ForeseenRun, by: number) => {
    const start = run.start === null ? undefined : startsOf.get(`${run.job} ${run.start}`)
    if (start && by !== 0) onMove?.(start, run.job, Date.parse(run.at), Date.parse(run.at) + by)
  }
  const titleOf = (name: string) => jobs[rowOf.get(name) ?? -1]?.title ?? name
  const words = (run: ForeseenRun) => {
    const length = (Date.parse(run.ends) - Date.parse(run.at)) / 1000
    const likely = `${likelyWords(run)}${run.unknown || run.stuck !== null ? '' : `, after ${lengthText(length)}`}`
    const due = run.due === null ? '' : `, due ${timeText(run.due)}`
    return run.refused
      ? `${titleOf(run.job)} at ${timeText(run.at)}: left out, another run of it goes on`
      : `${titleOf(run.job)}${run.label === null ? '' : ` ${run.label}`}, ${run.run === null ? timeText(run.at) : `run ${run.run}`}: ${likely}${due}`
  }
  const stateOf = (run: ForeseenRun): State => (run.refused ? 'skipped' : run.run !== null ? 'running' : isLate(run) ? 'waiting' : 'ready')
  const barsOf = (job: string) => [
    ...outlook.past.filter((run) => run.job === job).map((run) => ({ from: x(Date.parse(run.from)), until: x(run.to === null ? now : Date.parse(run.to)) })),
    ...outlook.held.filter((time) => time.job === job).map(({ at }) => ({ from: x(Date.parse(at)), until: x(Date.parse(at)) + 12 })),
    ...played.foreseen.filter((run) => run.job === job && Date.parse(run.at) <= until).map((run) => ({ from: x(Date.parse(run.at)), until: x(Date.parse(run.ends)) })),
  ]
  const deadlines = useMemo(() => firstDeadlines(played.foreseen), [played])
  const height = top + jobs.length * rowHeight + 6
  return (
    <div ref={holder}>
      <svg width={width} height="18" aria-hidden="true" style={{ display: 'block' }}>
        <Hours from={from} until={until} x={x} />
      </svg>
      <div
        style={{ overflowY: 'auto', maxHeight: 'min(56vh, 620px)' }}
        onScroll={({ currentTarget: { scrollTop, clientHeight } }) =>
          setSeen({ first: Math.floor(scrollTop / rowHeight) - 4, last: Math.ceil((scrollTop + clientHeight) / rowHeight) + 4 })
        }
      >
        <svg width={width} height={height} role="group" aria-label="starts along the hours" style={{ display: 'block' }}>
          <Hours from={from} until={until} x={x} height={height} />
          {played.crowded.map(({ from: begins, until: ends, waiting }) => (
            <g key={begins}>
              <title>{`${waiting} loads wait for a place at a worker, ${timeText(begins)} to ${clock(ends)}`}</title>
              <rect x={x(Date.parse(begins))} y={0} width={Math.max(2, x(Date.parse(ends)) - x(Date.parse(begins)))} height={height} fill="var(--ochre)" opacity="0.1" />
            </g>
          ))}
          {outlook.pauses.flatMap(({ id, job, start, spans, why, by }) =>
            spans.map(({ from: begins, until: ends }) => {
              const row = job === null ? undefined : rowOf.get(job)
              const [first, last] = [Date.parse(begins), ends === null ? until : Date.parse(ends)]
              // of one start of several, others begin all the same
              if (start !== null || (job !== null && row === undefined) || last <= from || first >= until) return null
              return (
                <g key={`${id} ${begins}`}>
                  <title>{`paused by ${by}: ${why}${ends === null ? '' : `, ${spanText(`${begins}/${ends}`)}`}`}</title>
                  <rect x={x(first)} y={row === undefined ? 0 : y(row) + 3} width={Math.max(2, x(last) - x(first))} height={row === undefined ? height : rowHeight - 6} fill="var(--rule)" opacity="0.45" />
                </g>
              )
            }),
          )}
          {jobs.map(({ job, title, starts }, row) =>
            visible(row) ? (
              <g key={job} data-job={job}>
                {chosen?.job === job && <rect x="0" y={y(row)} width={width} height={rowHeight} fill="var(--tint)" />}
                <foreignObject x="6" y={y(row) + 6} width={left - (isPaused(starts) ? 66 : 16)} height="22">
                  <ButtonBase
                    title={title}
                    onClick={() => onChoose({ job })}
                    aria-pressed={chosen?.job === job}
                    sx={{ display: 'block', width: '100%', textAlign: 'left', font: 'inherit' }}
                  >
                    <span className="cut" style={{ display: 'block' }}>
                      {title}
                    </span>
                  </ButtonBase>
                </foreignObject>
                {isPaused(starts) && (
                  <text x={left - 10} y={y(row) + 20} textAnchor="end" fontSize="11" fill="var(--soft)">
                    paused
                  </text>
                )}
              </g>
            ) : null,
          )}
          {outlook.past.map(({ run, job, state, from: begun, to, start }) => {
            const row = rowOf.get(job)
            if (!visible(row)) return null
            const [begins, ends] = [Date.parse(begun), to === null ? now : Date.parse(to)]
            const said = `${titleOf(job)}, run ${run}: ${state}, ${timeText(begun)}, ${lengthText((ends - begins) / 1000)}${start === null ? ', not by a start' : ''}`
            return (
              <a key={run} href={`/runs/${run}`} aria-label={said} onClick={(event) => { event.preventDefault(); void navigate(`/runs/${run}`) }}>
                <title>{said}</title>
                <StateBox state={state as State} x={x(begins)} y={y(row) + 8} width={Math.max(4, x(ends) - x(begins))} height={barHeight} />
              </a>
            )
          })}
          {outlook.held.map(({ job, start, at }) => {
            const row = rowOf.get(job)
            if (!visible(row)) return null
            return (
              <g key={`${job} ${start} ${at}`}>
                <title>{`${titleOf(job)}, ${start}, ${timeText(at)}: paused`}</title>
                <StateBox state="held" x={x(Date.parse(at))} y={y(row) + 8} width={12} height={barHeight} />
              </g>
            )
          })}
          {played.foreseen.map((run, place) => {
            const row = rowOf.get(run.job)
            if (!visible(row)) return null
            return run.after.map((before) => {
              const source = played.foreseen[before]!
              const sourceRow = rowOf.get(source.job)
              if (sourceRow === undefined || Date.parse(source.ends) > until) return null
              const at = x(Date.parse(source.ends))
              const down = sourceRow < row
              return <path key={`${place} ${before}`} d={`M${at} ${y(sourceRow) + 8 + (down ? barHeight : 0)}V${y(row) + 8 + barHeight / 2}H${Math.max(at, x(Date.parse(run.at)))}`} fill="none" stroke="var(--grey)" />
            })
          })}
          {played.foreseen.map((run, place) => {
            const row = rowOf.get(run.job)
            if (!visible(row) || Date.parse(run.at) > until) return null
            const shift = dragged?.place === place ? dragged.by : 0
            const [begins, ends] = [x(Date.parse(run.at) + shift), x(Math.max(Date.parse(run.ends), Date.parse(run.at)) + shift)]
            const movable = canMove(run)
            const isChosen = chosen?.job === run.job && chosen.start === run.start
            return (
              <g
                key={`${run.job} ${run.start} ${run.at}`}
                role="button"
                tabIndex={0}
                aria-label={`${words(run)}${movable ? '; Alt and an arrow move it' : ''}`}
                style={{ cursor: movable ? 'ew-resize' : 'pointer' }}
                onClick={() => (run.run === null ? onChoose({ job: run.job, start: run.start ?? undefined }) : void navigate(`/runs/${run.run}`))}
                onPointerDown={(event: PointerEvent<SVGGElement>) => {
                  if (!movable || event.button !== 0) return
                  event.currentTarget.setPointerCapture(event.pointerId)
                  setDragged({ place, from: event.clientX, by: 0 })
                }}
                onPointerMove={({ clientX }: PointerEvent) => {
                  if (dragged?.place === place) setDragged({ ...dragged, by: Math.round(((clientX - dragged.from) * perPixel) / grain) * grain })
                }}
                onPointerUp={() => {
                  if (dragged?.place === place) move(run, dragged.by)
                  setDragged(undefined)
                }}
                onPointerCancel={() => setDragged(undefined)}
                onKeyDown={(event: KeyboardEvent) => {
                  const by = { ArrowLeft: -grain, ArrowRight: grain }[event.key]
                  if (event.key === 'Enter') onChoose({ job: run.job, start: run.start ?? undefined })
                  else if (by !== undefined && event.altKey && movable) move(run, by)
                  else return
                  event.preventDefault()
                }}
              >
                <title>{words(run)}</title>
                {/* what is thin is caught all the same */}
                <rect x={begins - 3} y={y(row) + 4} width={Math.max(12, ends - begins + 6)} height={rowHeight - 8} fill="transparent" />
                <StateBox state={stateOf(run)} x={begins} y={y(row) + 8} width={Math.max(5, ends - begins)} height={barHeight} />
                {isChosen && <path d={`M${begins} ${y(row) + 8 + barHeight + 3}H${Math.max(begins + 5, ends)}`} stroke="var(--spruce)" strokeWidth="2" />}
                {shift !== 0 && (
                  <text x={begins} y={y(row) + 4} fontSize="11" fill="var(--ink)">
                    {clock(new Date(Date.parse(run.at) + shift).toISOString())}
                  </text>
                )}
              </g>
            )
          })}
          {deadlines.map((run) => {
            const row = rowOf.get(run.job)
            const due = Date.parse(run.due!)
            if (!visible(row) || due > until || due < from) return null
            const late = isLate(run)
            const when = `due ${clock(run.due!)}`
            const said = `${when}${run.stuck !== null ? ', waits' : run.unknown ? '' : `, likely ${clock(run.ends)}`}`
            const label = placeLabel([said, when], x(due), barsOf(run.job), { from: left, until: width })
            return (
              <g key={run.job}>
                <title>{said}</title>
                <path d={`M${x(due)} ${y(row) + 3}V${y(row) + rowHeight - 3}`} stroke="var(--rust)" strokeWidth="2" />
                {until - from < 2 * 86_400_000 && label && (
                  <text x={label.at} y={y(row) + 21} textAnchor={label.before ? 'end' : 'start'} fontSize="11.5" stroke="var(--sheet)" strokeWidth="3" paintOrder="stroke" fill={late ? 'var(--rust)' : 'var(--soft)'} fontWeight={late ? 700 : 400}>
                    {label.text}
                  </text>
                )}
              </g>
            )
          })}
          {now > from && now < until && <path d={`M${x(now)} 0V${height}`} stroke="var(--ink)" strokeWidth="1.4" />}
        </svg>
      </div>
      <Busy played={played} from={from} until={until} x={x} width={width} now={now} />
    </div>
  )
} // prettier-ignore

/** Is none of the starts of a job free to begin anything? */
const isPaused = (starts: readonly OutlookStart[]): boolean => starts.every(({ pause }) => pause !== null)

/** Of each job the first run that is due, and any that will be late. */
function firstDeadlines(foreseen: readonly ForeseenRun[]): ForeseenRun[] {
  const first = new Map<string, ForeseenRun>()
  for (const run of foreseen)
    if (run.due !== null && !run.refused && (!first.has(run.job) || (isLate(run) && !isLate(first.get(run.job)!))))
      first.set(run.job, run)
  return [...first.values()]
} // prettier-ignore

/** The hours, or the days: their lines over so many pixels, or their names. */
function Hours({ from, until, x, height }: { from: number; until: number; x: (time: number) => number; height?: number }): ReactElement {
  const hours = (until - from) / 3_600_000
  const days = hours > 30
  const ticks: number[] = []
  const first = new Date(from)
  first.setMinutes(0, 0, 0)
  if (days) first.setHours(0)
  for (const at = first; at.getTime() <= until; days ? at.setDate(at.getDate() + 1) : at.setHours(at.getHours() + 1))
    if (at.getTime() >= from) ticks.push(at.getTime())
  const said = (time: number) => {
    const at = new Date(time)
    return days ? at.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric' }) : at.getHours() % 2 === 0 ? clock(at.toISOString()) : ''
  }
  return height === undefined ? (
    <>
      {ticks.map((time) => (
        <text key={time} x={x(time)} y="13" textAnchor={time === from ? 'start' : time === until ? 'end' : 'middle'} fontSize="11" fill="var(--soft)">
          {said(time)}
        </text>
      ))}
    </>
  ) : (
    <path d={ticks.map((time) => `M${x(time)} 0V${height}`).join('')} stroke="var(--faint)" />
  )
} // prettier-ignore

/** Loads that run at once, against what the workers can. */
function Busy({ played, from, until, x, width, now }: { played: Played; from: number; until: number; x: (time: number) => number; width: number; now: number }): ReactElement {
  const most = Math.max(played.workers, ...played.busy.map(({ loads }) => loads), 1)
  const tall = 46
  const base = tall + 14
  const y = (loads: number) => base - (loads / most) * tall
  const steps = useMemo(() => thinned(played.busy, from, until, Math.max(200, width)), [played.busy, from, until, width])
  let path = `M${x(Math.max(from, now))} ${base}`
  for (const { at, loads } of steps) path += `H${x(at)}V${y(loads)}`
  path += `H${x(until)}V${base}`
  return (
    <svg width={width} height={base + 4} role="img" aria-label={`loads at once, at most ${most} of ${played.workers} places`} style={{ display: 'block', marginTop: 8 }}>
      <text x="6" y={base - tall / 2 + 4} fontSize="13" fill="var(--ink)">
        loads at once
      </text>
      <path d={path} fill="var(--tint)" stroke="var(--spruce)" strokeWidth="1.2" />
      <path d={`M${left} ${base + 0.5}H${width - right}`} stroke="var(--ink)" />
      <path d={`M${left} ${y(played.workers)}H${width - right}`} stroke="var(--rust)" strokeDasharray="4 3" />
      <text x={width - right - 2} y={y(played.workers) - 3} textAnchor="end" fontSize="11" fill="var(--rust)">
        {played.workers === 0 ? 'no worker is there' : `${played.workers}, the workers`}
      </text>
    </svg>
  )
} // prettier-ignore

/** Of many steps within a pixel, the highest. */
function thinned(busy: Played['busy'], from: number, until: number, pixels: number): { at: number; loads: number }[] {
  const grain = (until - from) / pixels
  const steps: { at: number; loads: number; last: number }[] = []
  for (const { at: text, loads } of busy) {
    const at = Date.parse(text)
    if (at > until) break
    const before = steps.at(-1)
    if (before && at - before.at < grain) {
      before.loads = Math.max(before.loads, loads)
      before.last = loads
    } else {
      // what the stretch before ended with goes on
      if (before && before.last !== before.loads) steps.push({ at: before.at + grain, loads: before.last, last: before.last })
      steps.push({ at: Math.max(from, at), loads, last: loads })
    }
  }
  const end = steps.at(-1)
  if (end && end.last !== end.loads) steps.push({ at: end.at + grain, loads: end.last, last: end.last })
  return steps
} // prettier-ignore
