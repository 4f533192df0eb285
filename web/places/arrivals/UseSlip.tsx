import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { arrivalState, type ArrivalState } from '../../../core/arrivals/arrival'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { Choice, TextInput } from '../../kit/controls'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Slip } from '../../kit/Slip'
import { shown, type Arrivals, type Stray } from './words'

const lacks: ReadonlySet<ArrivalState> = new Set(['missing', 'late', 'expected', 'empty', 'without'])

interface Feed {
  readonly id: string
  readonly job: string
  readonly title: string
  readonly part: string
  readonly row: string
  /** The newest first. */
  readonly slices: readonly {
    readonly from: string
    readonly to: string
    readonly label: string
    readonly state: ArrivalState
  }[]
}

/** The feeds whose files lie in the store of a file, those that are called most like it first. */
export function feedsFor({ jobs, newest }: Pick<Arrivals, 'jobs' | 'newest'>, { store, nearest }: Stray): Feed[] {
  const here = new Set(newest.filter((one) => one.store === store).map(({ job, part, row }) => `${job}\n${part}\n${row}`))
  const near = (feed: Feed) => Number(feed.job === nearest?.job && feed.row === nearest.row)
  return jobs
    .flatMap(({ job, title, slices, feeds }) =>
      feeds.map(({ part, row, letters }): Feed => ({ id: `${job}\n${part}\n${row}`, job, title, part, row, slices: slices.map((slice, at) => ({ ...slice, state: arrivalState(letters[at] ?? 'N') })).reverse() })),
    )
    .filter(({ id, slices }) => here.has(id) && slices.length > 0)
    .sort((a, b) => near(b) - near(a))
} // prettier-ignore

/** The slice that a file is most likely of: one that its name speaks of, or else the newest that lacks its file. */
export function sliceFor({ slices }: Feed, path: string): string {
  const digits = path.replace(/\D/g, '')
  const named = slices.find(({ label }) => digits.includes(label.replace(/\D/g, '')))
  return (named ?? slices.find(({ state }) => lacks.has(state)) ?? slices[0]!).from
} // prettier-ignore

/** A file that nobody expects is taken in place of the one that a feed expects for a slice. */
export function UseSlip({ stray, data, onClose, onDone }: { readonly stray: Stray; readonly data: Arrivals; readonly onClose: () => void; readonly onDone: () => void }): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const feeds = feedsFor(data, stray)
  const [id, setId] = useState(feeds[0]?.id ?? '')
  const feed = feeds.find((one) => one.id === id)
  const [chosen, setFrom] = useState<string>()
  const from = chosen ?? (feed ? sliceFor(feed, stray.path) : '')
  const slice = feed?.slices.find((one) => one.from === from)
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const keep = async (plan: boolean) => {
    if (!feed || !slice) return
    setFault(undefined)
    const { job, part, row } = feed
    await call(routes.answerArrival, { body: { environment, job, part, row, from: slice.from, kind: 'instead', file: stray.path, why } })
    if (plan) {
      const made = await call(routes.makePlan, { body: { job, environment, picks: [{ part, row, from: slice.from, to: slice.to }] } })
      void navigate(`/plans/${made.id}`)
      return
    }
    say(`it is the file of ${row} for ${slice.label}`)
    onDone()
  }
  const ready = slice !== undefined && why.trim().length >= 3
  return (
    <Slip title={<span className="mono">{stray.path}</span>} onClose={onClose}>
      {feeds.length === 0 ? (
        <p style={{ margin: 0 }}>No row expects files of {stray.store} in this environment.</p>
      ) : (
        <div className="form-rows">
          <span className="label">is the file of</span>
          <Choice label="is the file of" value={id} options={feeds.map((one) => [one.id, <>{one.row} <span className="soft">&ensp;{one.title}</span></>] as const)} onChange={(next) => { setId(next); setFrom(undefined) }} />
          <span className="label">for</span>
          <Choice label="for" value={from} options={feed!.slices.map((one) => [one.from, <><span className="mono">{one.label}</span> <span className="soft">&ensp;{shown[one.state].words}</span></>] as const)} onChange={setFrom} />
          <span className="label">why</span>
          <TextInput label="why" value={why} autoFocus placeholder="for who wonders why its own name is not taken" onChange={setWhy} />
        </div>
      )}
      <p className="soft" style={{ margin: '8px 0 0' }}>
        {slice && !lacks.has(slice.state) ? `Its own file is ${shown[slice.state].words}: this one is taken in its place. ` : ''}
        Plans, starts and this page take it for that file, and plans say so. Loads that wait already go on waiting for the other.
      </p>
      {fault && <FaultBox error={fault} />}
      <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
        <Button onClick={onClose}>Leave it</Button>
        <Button disabled={!ready} onClick={() => void keep(false).catch(setFault)}>Keep</Button>
        <Button variant="contained" color="primary" disabled={!ready} onClick={() => void keep(true).catch(setFault)}>Keep, and plan it</Button>
      </div>
    </Slip>
  )
} // prettier-ignore
