import { useRef, useState, useEffect, type ReactElement } from 'react'
import { Link } from 'react-router'
import { Button } from '@mui/material'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { StateBox } from '../../look/State'
import { clock, count, dayText, lengthText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { likelyWords } from '../starts/answers'
import type { MorningSheet } from './answers'
import { Decisions } from './Decisions'

/** What needs a decision, what runs, and what ran since yesterday evening. */
export default function Morning(): ReactElement {
  const { environment } = useHere()
  const whole = useAnswer(
    routes.morning,
    { query: { environment } },
    { refreshInterval: 30_000, keepPreviousData: true },
  )
  // what has happened is there at once; what is to come may take seconds
  const quick = useAnswer(
    routes.morning,
    whole.data?.ahead ? null : { query: { environment, ahead: 'false' } },
    { refreshInterval: 30_000 },
  )
  const data = whole.data ?? quick.data
  if (!data && whole.error && quick.error) return <FaultBox error={quick.error} />
  if (!data) return <Waiting what="gathering the night" />
  const changed = () => void Promise.all([whole.mutate(), quick.mutate()])
  return (
    <div className="stack">
      <div>
        <h1>Morning sheet</h1>
        <span className="soft">
          {dayText(data.at)}, since {timeText(data.since)} in {environment}: {count(data.done, 'load')} done,{' '}
          {numberText(data.failed)} failed
          {data.rejected > 0 && `, ${count(data.rejected, 'row')} rejected`}
        </span>
      </div>
      {!data.ahead &&
        (whole.error ? (
          <FaultBox error={new Error(`What is to come could not be worked out: ${whole.error.message}`)}>
            <Button size="small" sx={{ ml: 1.5 }} onClick={() => void whole.mutate()}>
              Try again
            </Button>
          </FaultBox>
        ) : (
          <span className="soft" role="status">
            What is to come is being worked out …
          </span>
        ))}
      <Decisions sheet={data} onChanged={changed} />
      <Ribbon sheet={data} />
    </div>
  )
}

const left = 170
const rowHeight = 30

/** A line for each job along the hours: what ran and what is running. */
function Ribbon({ sheet }: { sheet: MorningSheet }): ReactElement {
  const holder = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(1000)
  useEffect(() => {
    const watcher = new ResizeObserver(([entry]) => setWidth(entry!.contentRect.width))
    watcher.observe(holder.current!)
    return () => watcher.disconnect()
  }, [])
  const from = new Date(sheet.since).getTime()
  const now = new Date(sheet.at).getTime()
  const to = new Date(sheet.until).getTime()
  const x = (time: number) => left + ((Math.max(time, from) - from) / (to - from)) * (width - left - 8)
  const ticks = []
  const first = new Date(from)
  first.setMinutes(0, 0, 0)
  for (let time = first.getTime(); time < to; time += 3_600_000)
    if (time >= from && new Date(time).getHours() % 2 === 0) ticks.push(time)
  const height = 40 + sheet.jobs.length * rowHeight
  return (
    <section className="sheet" aria-labelledby="ribbon">
      <h2 id="ribbon">
        Day and night <small>what ran, what is running, what is due and how long it will likely take</small>
      </h2>
      <div ref={holder}>
        {sheet.jobs.length === 0 ? (
          <Empty>Jobs appear here with their runs. There is none yet.</Empty>
        ) : (
          <svg width={width} height={height} aria-label="runs of each job along the hours" role="group">
            {ticks.map((time) => (
              <g key={time}>
                <text x={x(time)} y="12" textAnchor="middle" fontSize="11" fill="var(--soft)">
                  {clock(new Date(time).toISOString())}
                </text>
                <path d={`M${x(time)} 18V${height - 18}`} stroke="var(--faint)" />
              </g>
            ))}
            {sheet.jobs.map(({ job, title, runs, foreseen }, i) => {
              const y = 22 + i * rowHeight
              return (
                <g key={job}>
                  <foreignObject x="0" y={y - 2} width={left - 12} height="23">
                    <div className="cut">
                      <Link to={`/ledger?job=${job}`} title={title}>
                        {title}
                      </Link>
                    </div>
                  </foreignObject>
                  <path d={`M${left} ${y + 21.5}H${width}`} stroke="var(--rule)" />
                  {runs.map((run) => {
                    const start = x(new Date(run.from).getTime())
                    const end = run.to ? x(new Date(run.to).getTime()) : x(now)
                    const words = `${title}, run ${run.id}: ${run.state}, ${timeText(run.from)}, ${run.to ? lengthText((new Date(run.to).getTime() - new Date(run.from).getTime()) / 1000) : 'running'}, ${numberText(run.loads)} loads, ${numberText(run.rows)} rows written`
                    return (
                      <Link key={run.id} to={`/runs/${run.id}`} aria-label={words}>
                        <title>{words}</title>
                        <StateBox
                          state={run.state}
                          x={start}
                          y={y + 3}
                          width={Math.max(6, end - start)}
                          height={16}
                        />
                      </Link>
                    )
                  })}
                  {foreseen.map((run) => {
                    const begins = x(new Date(run.at).getTime())
                    const words = `${title}, ${timeText(run.at)}: ${likelyWords(run)}${run.due === null ? '' : `, due ${timeText(run.due)}`}`
                    return (
                      <Link key={run.at} to="/starts" aria-label={words}>
                        <title>{words}</title>
                        <StateBox
                          state={run.late ? 'waiting' : 'ready'}
                          x={begins}
                          y={y + 3}
                          width={Math.max(5, x(new Date(run.ends).getTime()) - begins)}
                          height={16}
                        />
                      </Link>
                    )
                  })}
                  {[...new Set(foreseen.flatMap(({ due }) => due ?? []))]
                    .filter((due) => new Date(due).getTime() < to)
                    .map((due) => (
                      <g key={due}>
                        <title>{`${title} is due ${timeText(due)}`}</title>
                        <path
                          d={`M${x(new Date(due).getTime())} ${y + 21}V${y}h7l-2 3 2 3h-7`}
                          fill="var(--rust)"
                          stroke="var(--rust)"
                        />
                      </g>
                    ))}
                </g>
              )
            })}
            <path d={`M${x(now)} 16V${height - 16}`} stroke="var(--ink)" strokeWidth="1.4" />
            <text x={x(now)} y={height - 3} textAnchor="middle" fontSize="11" fill="var(--ink)">
              now {clock(sheet.at)}
            </text>
          </svg>
        )}
      </div>
    </section>
  )
}
