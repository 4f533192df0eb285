import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import useSWR from 'swr'
import { isLate } from '../../../core/schedule/due'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { NumberInput } from '../../kit/controls'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Lines } from '../../kit/Lines'
import { StateMark } from '../../look/State'
import { clock, lengthText, timeText } from '../../look/times'
import { likelyWords, type ForeseenRun, type Outlook, type Played } from './answers'

/** The next 24 hours played through: what ends when, what will be late, and what it would be with other workers and caps. */
export function Rehearsal({ environment, outlook }: { readonly environment: string; readonly outlook: Outlook }): ReactElement {
  const [workers, setWorkers] = useState<number | undefined>(() => Math.max(1, outlook.workers) * 2)
  const [caps, setCaps] = useState<Readonly<Record<string, number | undefined>>>({})
  // a field that is empty meanwhile changes nothing
  const given = { ...(workers ? { workers } : {}), caps: Object.fromEntries(Object.entries(caps).flatMap(([name, cap]) => (cap ? [[name, cap] as const] : []))) }
  const from = outlook.at.slice(0, 16)
  const span = { environment, from: `${from}:00.000Z`, until: new Date(Date.parse(`${from}:00.000Z`) + 86_400_000).toISOString() }
  const played = useSWR<Played, Error>(['rehearsal', span], () => call(routes.playStarts, { body: span }), { revalidateOnFocus: false, keepPreviousData: true })
  const other = useSWR<Played, Error>(['rehearsal', span, given], () => call(routes.playStarts, { body: { ...span, ...given } }), { revalidateOnFocus: false, keepPreviousData: true })
  if (played.error) return <FaultBox error={played.error} />
  if (!played.data) return <Waiting what="playing the night through" />
  const runs = played.data.foreseen.filter(({ start, refused }) => start !== null || !refused)
  const late = runs.filter(isLate)
  const titles = new Map(outlook.jobs.map(({ job, title }) => [job, title]))
  const otherEnds = new Map((other.data?.foreseen ?? []).map((run) => [keyOf(run), run]))
  const most = Math.max(0, ...played.data.busy.map(({ loads }) => loads))
  const crowded = secondsOf(played.data.crowded)
  const own = played.data.caps
  const capped = own.flatMap(({ connection, cap }) => {
    const seconds = secondsOf(played.data!.capped.filter((one) => one.connection === connection))
    return seconds > 0 ? [`for ${connection}, which takes ${cap} at once, during ${lengthText(seconds)}`] : []
  })
  return (
    <section className="sheet" aria-label="rehearsal">
      <div className="line" style={{ flexWrap: 'wrap', marginBottom: 8 }}>
        <b>
          {runs.length === 0 ? 'Nothing begins in the next 24 hours' : `${runs.length} ${runs.length === 1 ? 'run' : 'runs'} until ${timeText(span.until)}`}
        </b>
        <span className={late.length > 0 ? 'bad' : 'soft'}>
          {late.length > 0 ? `${late.length} will likely be late` : runs.some(({ due }) => due !== null) ? 'all will likely be done when they are due' : ''}
        </span>
        <span className="soft">
          at most {most} of {outlook.workers} places busy
          {crowded > 0 && `; loads wait for one during ${lengthText(crowded)}`}
          {capped.length > 0 && `; loads wait ${capped.join(', ')}`}
        </span>
        <span className="line" style={{ marginLeft: 'auto' }}>
          <span className="soft">beside it, at once: workers</span>
          <NumberInput label="places at workers" value={workers} least={1} width={72} onChange={setWorkers} />
          {own.map(({ connection, cap }) => (
            <span key={connection} className="line" style={{ gap: 6 }}>
              <span className="soft mono">{connection}</span>
              <NumberInput label={`loads at ${connection} at once`} value={connection in caps ? caps[connection] : cap} least={1} width={64} onChange={(next) => setCaps({ ...caps, [connection]: next })} />
            </span>
          ))}
        </span>
      </div>
      {other.error && <FaultBox error={other.error} />}
      {runs.length === 0 ? (
        <Empty>What begins by itself is played through here, with the lengths that like loads had.</Empty>
      ) : (
        <Lines label="runs of the next 24 hours">
          <TableHead>
            <TableRow>
              <TableCell />
              <TableCell>job</TableCell>
              <TableCell>begins</TableCell>
              <TableCell>takes</TableCell>
              <TableCell>likely done</TableCell>
              <TableCell>in nine of ten by</TableCell>
              <TableCell>due</TableCell>
              <TableCell>to spare</TableCell>
              <TableCell>with those beside it</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {runs.map((run) => {
              const beside = otherEnds.get(keyOf(run))
              return (
                <TableRow key={`${keyOf(run)} ${run.at}`}>
                  <TableCell style={{ width: 24 }}><StateMark state={run.refused ? 'skipped' : isLate(run) ? 'failed' : run.run !== null ? 'running' : 'ready'} size={12} /></TableCell>
                  <TableCell>{titles.get(run.job) ?? run.job}{run.label !== null && <span className="soft mono"> {run.label}</span>}</TableCell>
                  <TableCell>{timeText(run.at)}</TableCell>
                  <TableCell>{run.refused || run.stuck !== null ? '' : run.unknown ? <span className="soft">not known</span> : lengthText((Date.parse(run.ends) - Date.parse(run.begins)) / 1000)}</TableCell>
                  <TableCell>{run.refused ? <span className="soft">left out: another goes on</span> : run.stuck !== null ? <span className="bad" title={likelyWords(run)}>{run.givesUp === null ? '' : `fails ${timeText(run.givesUp)}: `}waits for {run.stuck}</span> : run.unknown ? '' : timeText(run.ends)}</TableCell>
                  <TableCell className="soft">{run.refused || run.unknown || run.stuck !== null ? '' : clock(run.high)}</TableCell>
                  <TableCell>{run.due === null ? '' : clock(run.due)}</TableCell>
                  <TableCell className={isLate(run) ? 'bad' : undefined}>{spare(run)}</TableCell>
                  <TableCell className="soft">{!beside || run.unknown || run.refused || run.stuck !== null ? '' : difference(run, beside)}</TableCell>
                </TableRow>
              )
            })}
          </TableBody>
        </Lines>
      )}
    </section>
  )
} // prettier-ignore

/** How long stretches are together. */
const secondsOf = (stretches: readonly { readonly from: string; readonly until: string }[]): number =>
  stretches.reduce((sum, { from, until }) => sum + Date.parse(until) - Date.parse(from), 0) / 1000

const keyOf = ({ job, start, label, at, after }: ForeseenRun): string => `${job} ${start} ${label} ${after.length > 0 ? after.join() : at}` // prettier-ignore

function spare({ due, ends, unknown, refused, stuck, givesUp }: ForeseenRun): string {
  if (due === null || unknown || refused) return ''
  if (stuck !== null) return givesUp !== null || Date.parse(ends) > Date.parse(due) ? 'not by itself' : ''
  const left = (Date.parse(due) - Date.parse(ends)) / 1000
  return left < 0 ? `late by ${lengthText(-left)}` : lengthText(left)
}

function difference(run: ForeseenRun, beside: ForeseenRun): string {
  const sooner = (Date.parse(run.ends) - Date.parse(beside.ends)) / 1000
  if (Math.abs(sooner) < 1) return 'the same'
  return `${timeText(beside.ends)}, ${lengthText(Math.abs(sooner))} ${sooner > 0 ? 'sooner' : 'later'}`
}
