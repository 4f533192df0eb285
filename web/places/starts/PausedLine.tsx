import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { spanText, timeText } from '../../look/times'
import type { Outlook, Pause } from './answers'

/** The span of a pause that goes on at a time. */
export const spanNow = ({ spans }: Pause, at: string): Pause['spans'][number] | undefined =>
  spans.find(
    ({ from, until }) =>
      Date.parse(from) <= Date.parse(at) && (until === null || Date.parse(until) > Date.parse(at)),
  )

/** What is paused, since when and why, whether it comes again, and how it goes on. */
export function PausedLine({
  pause,
  outlook,
  mayRun,
  onEnd,
}: {
  readonly pause: Pause
  readonly outlook: Outlook
  readonly mayRun: boolean
  /** `once`: what goes on now is ended, and it comes again. */
  readonly onEnd: (pause: Pause, once?: boolean) => void
}): ReactElement {
  const { job, start, from, why, by, environment, spans, words } = pause
  const title = outlook.jobs.find((one) => one.job === job)?.title ?? job
  const now = spanNow(pause, outlook.at)
  const next = spans.find((span) => Date.parse(span.from) > Date.parse(outlook.at))
  const paused = job === null ? '· paused' : 'is paused'
  const waits = words !== null && !now
  const whose = job === null ? environment : `${title}${start === null ? '' : `, ${start}`}`
  const comes = words !== null && next?.until != null && (
    <span className="soft"> · next {spanText(`${next.from}/${next.until}`)}</span>
  )
  return (
    <div className="line" role="status" style={{ flexWrap: 'wrap' }}>
      {waits ? (
        <span>
          <b>{whose}</b> pauses {words}
          {comes}
          <span className="look">
            {' '}
            · {by}: {why}
          </span>
        </span>
      ) : (
        <span>
          <b>{job === null ? `Nothing begins by itself in ${whose}` : whose}</b>{' '}
          <span className="look">
            {now ? paused : `will be paused from ${timeText(from)}`} by {by}: {why}
          </span>
          {now?.until != null && <span className="soft"> until {timeText(now.until)}</span>}
          {words !== null && <span className="soft"> · comes again {words}</span>}
          {comes}
        </span>
      )}
      {mayRun && now && words !== null && (
        <Button onClick={() => onEnd(pause, true)}>Let starts begin this once</Button>
      )}
      {mayRun && (
        <Button onClick={() => onEnd(pause)}>
          {words !== null ? 'End it for good' : now ? 'Let starts begin' : 'Take it back'}
        </Button>
      )}
    </div>
  )
}
