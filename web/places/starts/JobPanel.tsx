import { Button, TableBody, TableCell, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { Lines } from '../../kit/Lines'
import { clock, lengthText, timeText, zoneText } from '../../look/times'
import {
  likelyWords,
  type Chosen,
  type OutlookJob,
  type Outlook,
  type OutlookStart,
  type Played,
} from './answers'

/** What makes a job begin, in words: when next, what it waits for and when that usually is there, and what keeps it. */
export function JobPanel({
  job,
  chosen,
  outlook,
  played,
  mayRun,
  onPause,
  onEnd,
}: {
  readonly job: OutlookJob
  readonly chosen: Chosen
  readonly outlook: Outlook
  readonly played: Played
  readonly mayRun: boolean
  readonly onPause: (start: OutlookStart) => void
  readonly onEnd: (pause: { readonly id: number }, once: boolean) => void
}): ReactElement {
  const runs = played.foreseen.filter((run) => run.job === job.job && run.start !== null && !run.refused)
  return (
    <section className="sheet" aria-label={`starts of ${job.title}`}>
      <div className="line" style={{ marginBottom: 4 }}>
        <b>{job.title}</b>
        {job.due !== null && (
          <span className="soft">
            {job.due.startsWith('P') ? `to be done within ${job.due}` : `to be done by ${job.due}, ${job.zone}`}
          </span>
        )}
        <span className="line" style={{ marginLeft: 'auto' }}>
          <Link to={`/ledger?job=${job.job}`}>its runs</Link>
          <Link to={`/jobs/${job.job}?at=starts`}>the job</Link>
        </span>
      </div>
      <Lines label={`starts of ${job.title}`}>
        <TableBody>
          {job.starts.map((start) => {
            const own = runs.filter((run) => run.start === start.id)
            const [next] = own
            return (
              <TableRow key={start.id} selected={chosen.start === start.id}>
                <TableCell className="mono keep">{start.id}</TableCell>
                <TableCell>
                  {start.text}
                  {start.next !== null && <span className="soft">, {start.zone}</span>}
                  {start.waitsFor.length > 0 && (
                    <WaitsFor start={start} outlook={outlook} played={played} job={job.job} />
                  )}
                </TableCell>
                <TableCell className="keep">
                  {start.pause ? (
                    <span className="look">
                      paused by {start.pause.by}: {start.pause.why}
                      {start.pause.until !== null && `, until ${timeText(start.pause.until)}`}
                    </span>
                  ) : next ? (
                    <>
                      {zoneText(next.at, start.zone)}
                      {next.stuck !== null && <span className="bad"> · {likelyWords(next)}</span>}
                      {!next.unknown && next.stuck === null && (
                        <span className="soft">
                          {' '}
                          for {lengthText((Date.parse(next.ends) - Date.parse(next.at)) / 1000)}
                          {Date.parse(next.high) - Date.parse(next.ends) > 60_000 &&
                            `, in nine of ten by ${clock(next.high, start.zone)}`}
                        </span>
                      )}
                    </>
                  ) : start.next !== null ? (
                    zoneText(start.next, start.zone)
                  ) : (
                    <span className="soft">not in these hours</span>
                  )}
                </TableCell>
                <TableCell className="keep number" style={{ width: 1 }}>
                  {mayRun &&
                    (start.pause ? (
                      // one that holds the whole environment is ended where it says so
                      start.pause.job !== null && <Button onClick={() => onEnd(start.pause!, start.pause!.again !== null)}>
                        {start.pause.again === null ? 'Go on' : 'Go on this once'}
                      </Button>
                    ) : (
                      <Button onClick={() => onPause(start)}>Pause</Button>
                    ))}
                </TableCell>
              </TableRow>
            )
          })}
        </TableBody>
      </Lines>
    </section>
  )
} // prettier-ignore

/** What a start waits for, each with the run that is likely to bring it. */
function WaitsFor({
  start,
  job,
  outlook,
  played,
}: {
  start: OutlookStart
  job: string
  outlook: Outlook
  played: Played
}): ReactElement {
  const next = played.foreseen.find((run) => run.job === job && run.start === start.id)
  const brought = next?.after.map((place) => played.foreseen[place]!) ?? []
  const last = brought.reduce<(typeof brought)[number] | undefined>(
    (latest, one) => (!latest || Date.parse(one.ends) > Date.parse(latest.ends) ? one : latest),
    undefined,
  )
  return (
    <div className="soft">
      waits for{' '}
      {start.waitsFor.map((name, i) => (
        <span key={name} className="mono">
          {i > 0 && ', '}
          {name}
        </span>
      ))}
      {last && `; last comes ${outlook.jobs.find((one) => one.job === last.job)?.title ?? last.job}, about ${timeText(last.ends)}`}
    </div>
  )
} // prettier-ignore
