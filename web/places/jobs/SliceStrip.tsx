import { useEffect, useMemo, useRef, useState, type ReactElement } from 'react'
import { FaultError } from '../../../core/fault'
import { lengthWords } from '../../../core/schedule/words'
import { sliceCalendar, type CalendarSlice } from '../../../core/slice/calendar'
import { slicesSchema } from '../../../core/slice/spec'
import { StateBox, type State } from '../../look/State'
import { timeText } from '../../look/times'

const height = 62
const barHeight = 22
const states: Readonly<Record<CalendarSlice['stands'], State>> = {
  closed: 'done',
  grace: 'held',
  open: 'running',
  coming: 'ready',
}
const stands: Readonly<Record<CalendarSlice['stands'], string>> = {
  closed: 'over',
  grace: 'over, within its grace',
  open: 'going on',
  coming: 'to come',
}

/** A slice in words: how long it is, and what the clock does in it. */
function words({ label, from, to, change, stands: now }: CalendarSlice, zone: string): string {
  const clock = change === null ? '' : `, the clock is set ${change}`
  return `${label}: ${lengthWords(Date.parse(to) - Date.parse(from))}, ${timeText(from, zone)} to ${timeText(to, zone)}, ${stands[now]}${clock}`
}

/** The slices of a rule around now, as they lie in time, and the next in which the clock is changed. */
export function SliceStrip({ given }: { readonly given: unknown }): ReactElement | null {
  const holder = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(600)
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  const [now] = useState(() => new Date().toISOString())
  const text = JSON.stringify(given)
  const { calendar, zone, fault } = useMemo(() => {
    const read = slicesSchema.safeParse(JSON.parse(text))
    if (!read.success) return { zone: 'UTC', fault: undefined, calendar: undefined }
    try {
      return { calendar: sliceCalendar(read.data, now), zone: read.data.zone, fault: undefined }
    } catch (error) {
      return {
        zone: read.data.zone,
        calendar: undefined,
        fault: error instanceof FaultError ? error.fault.message : (error as Error).message,
      }
    }
  }, [text, now])
  return (
    <div ref={holder} style={{ flex: 'none' }}>
      {fault && <div className="bad">{fault}</div>}
      {calendar && calendar.slices.length === 0 && <div className="soft">no slice lies around now</div>}
      {calendar && calendar.slices.length > 0 && (
        <Drawn slices={calendar.slices} zone={zone} now={Date.parse(now)} width={width} />
      )}
      {calendar?.changes.map((slice) => (
        <div key={slice.from} className="soft">
          the clock of {zone} is set <span className="look">{slice.change}</span> in{' '}
          <span className="mono">{slice.label}</span>: it is{' '}
          {lengthWords(Date.parse(slice.to) - Date.parse(slice.from))} long
        </div>
      ))}
    </div>
  )
}

function Drawn({
  slices,
  zone,
  now,
  width,
}: {
  readonly slices: readonly CalendarSlice[]
  readonly zone: string
  readonly now: number
  readonly width: number
}): ReactElement {
  const from = Date.parse(slices[0]!.from)
  const to = Date.parse(slices.at(-1)!.to)
  const x = (at: number) => ((at - from) / (to - from)) * (width - 2) + 1
  /** Every so many are named, so that the names do not touch. */
  const each = Math.max(1, Math.ceil((slices.length * slices[0]!.label.length * 7.2) / width))
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`slices from ${slices[0]!.label} to ${slices.at(-1)!.label}`}
    >
      {slices.map((slice, i) => {
        const left = x(Date.parse(slice.from))
        const wide = x(Date.parse(slice.to)) - left
        return (
          <g key={slice.from}>
            <title>{words(slice, zone)}</title>
            <StateBox
              state={states[slice.stands]}
              x={left}
              y={6}
              width={Math.max(1, wide - 1)}
              height={barHeight}
            />
            {slice.change && (
              <path
                d={`M${left + wide / 2 - 4} 2h8l-4 6z`}
                fill="var(--ochre)"
                aria-label={`the clock is set ${slice.change}`}
              />
            )}
            {i % each === 0 && left + slice.label.length * 6.8 < width && (
              <text x={left} y={barHeight + 20} fontSize="11" fill="var(--soft)" className="mono">
                {slice.label}
              </text>
            )}
          </g>
        )
      })}
      {now >= from && now <= to && (
        <>
          <path d={`M${x(now)} 0V${barHeight + 10}`} stroke="var(--ink)" strokeWidth="1.4" />
          <text
            x={Math.min(x(now), width - 14)}
            y={height - 4}
            textAnchor="middle"
            fontSize="11"
            fill="var(--ink)"
          >
            now
          </text>
        </>
      )}
    </svg>
  )
}
