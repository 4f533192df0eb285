import { Button, IconButton } from '@mui/material'
import ChevronLeftIcon from '@mui/icons-material/ChevronLeft'
import ChevronRightIcon from '@mui/icons-material/ChevronRight'
import { useCallback, useMemo, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { plainRoutes } from '../../../contract/plain'
import { routes } from '../../../contract/routes'
import { setAt, valueAt } from '../../../core/job/editText'
import { isLate } from '../../../core/schedule/due'
import { movedTo, type StartKind } from '../../../core/job/starts'
import { stepIn, useAddress } from '../../data/address'
import { call, useAnswer } from '../../data/api'
import { useTimeOf } from '../../data/timeOf'
import { useHere, useMay } from '../../data/session'
import { TextInput } from '../../kit/controls'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Views } from '../../kit/Views'
import { clock, count, dayText, lengthText, timeText } from '../../look/times'
import { PausedLine, spanNow } from './PausedLine'
import type { Chosen, Moved, Outlook, OutlookStart, Played } from './answers'
import { Decisions } from './Decisions'
import { JobPanel } from './JobPanel'
import { Night } from './Night'
import { PauseSlip } from './PauseSlip'
import { Rehearsal } from './Rehearsal'

type View = 'hours' | 'rehearsal' | 'decisions'
type Length = 'day' | 'week'

const hour = 3_600_000
/** Days that one may look back or ahead. */
const farthest = 3660
/** Jobs from which on they are looked for by name. */
const many = 14

/** Midnight of a day, so many days from another. */
function midnight(at: number, days = 0): number {
  const day = new Date(at)
  day.setHours(0, 0, 0, 0)
  day.setDate(day.getDate() + days)
  return day.getTime()
}

/** What begins by itself: along the hours of a day or a week, rehearsed, and what was decided. */
export default function Starts(): ReactElement {
  const { environment } = useHere()
  const mayRun = useMay('run', environment)
  const mayBuild = useMay('build', environment)
  const [search, set] = useAddress()
  const view = (search.get('view') ?? 'hours') as View
  const length: Length = search.get('length') === 'week' ? 'week' : 'day'
  const shift = stepIn(search, 'days', farthest)
  // the day of the clock that starts go by, which may not be ours
  const [opened, tell] = useTimeOf(hour)
  const step = length === 'week' ? 7 : 1
  const around = shift === 0 && length === 'day'
  // what was, and the night that comes
  const from = around ? Math.floor(opened / hour) * hour - 2 * hour : midnight(opened, shift)
  const until = around ? from + 26 * hour : midnight(opened, shift + step)
  const span = { environment, from: new Date(from).toISOString(), until: new Date(until).toISOString() }
  const { data, error, mutate } = useAnswer(routes.starts, { query: span }, { keepPreviousData: true, refreshInterval: 30_000 })
  // an hour later the picture goes on
  tell(data?.at)
  const [chosen, setChosen] = useState<Chosen>()
  const [wanted, setWanted] = useState('')
  const [pausing, setPausing] = useState<Chosen | 'all'>()
  const [fault, setFault] = useState<Error>()
  const [moved, setMoved] = useState<{ readonly moved: Moved; readonly played: Played; readonly to: number }>()
  const move = useCallback(
    (start: OutlookStart, job: string, at: number, to: number) => {
      setFault(undefined)
      const given = movedTo(start.kind as StartKind, start.given, at, to, start.zone)
      if (!given) return setFault(new Error(`${start.text}: it cannot be moved there. It stays on its day, a slice is not taken before it is over, and a rule with several times a day is changed in the job.`))
      const one = { job, start: start.id, given }
      call(routes.playStarts, { body: { environment, from: new Date(from).toISOString(), until: new Date(until).toISOString(), moved: [one] } }).then(
        (played) => setMoved({ moved: one, played, to }), setFault)
    },
    [environment, from, until],
  )
  const endPause = (pause: { readonly id: number }, once = false) =>
    void call(routes.endPause, { params: { id: pause.id }, query: once ? { once: 'true' } : {} }).then(() => {
      say(`it goes on${once ? ', this once' : ''}: what came meanwhile is decided about now`)
      void mutate()
    }, setFault)
  const shown = useMemo(() => data && { ...data, jobs: data.jobs.filter(({ job, title }) => `${title} ${job}`.toLowerCase().includes(wanted.trim().toLowerCase())) }, [data, wanted])
  const ofJob = useMemo(() => data?.jobs.find(({ job }) => job === chosen?.job) ?? data?.jobs[0], [data, chosen])
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="looking ahead" />
  const pauses = data.pauses.filter((pause) => pause.until === null || Date.parse(pause.until) > Date.parse(data.at))
  const everywhere = pauses.filter((pause) => pause.job === null && spanNow(pause, data.at) !== undefined)
  // those that hold the job below, and nothing else, are said there
  const planned = pauses.filter((pause) => !everywhere.includes(pause) && (pause.again !== null || pause.job !== ofJob?.job || !spanNow(pause, data.at)))
  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Starts</h1>
        <span className="soft">
          {around ? 'the hours around now' : length === 'day' ? dayText(new Date(from).toISOString()) : `${timeText(new Date(from).toISOString()).slice(0, -6)} to ${timeText(new Date(until - 1).toISOString()).slice(0, -6)}`}, in {environment} · each bar as long as the job usually takes
          {data.lag && ` · begun ${data.lag.median < 0.05 ? 'at once' : `${lengthText(data.lag.median)} after their time`}, at most ${lengthText(data.lag.most)} (${count(data.lag.starts, 'start')} of the last day)`}
        </span>
        <div className="actions">
          {mayRun && data.jobs.length > 0 && <Button onClick={() => setPausing('all')}>Pause</Button>}
          <Button component="a" href={`${plainRoutes.startsCalendar.path}?environment=${encodeURIComponent(environment)}`} download>
            as iCalendar
          </Button>
        </div>
      </div>
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <Views label="view" value={view} views={[['hours', 'hours'], ['rehearsal', 'the next 24 hours, rehearsed'], ['decisions', 'decisions']]} onChange={(next) => set('view', next === 'hours' ? '' : next)} />
        {view === 'hours' && (
          <span className="line" style={{ marginLeft: 'auto', gap: 4 }}>
            {data.jobs.length > many && <TextInput label="find a job" placeholder="find a job" value={wanted} width={170} onChange={setWanted} />}
            <IconButton size="small" aria-label={`the ${length} before`} onClick={() => set('days', String(shift - step))}><ChevronLeftIcon /></IconButton>
            <Button variant="text" disabled={shift === 0} onClick={() => set('days', '')}>now</Button>
            <IconButton size="small" aria-label={`the ${length} after`} onClick={() => set('days', String(shift + step))}><ChevronRightIcon /></IconButton>
            <Views label="how long" value={length} views={[['day', 'day'], ['week', 'week']]} onChange={(next) => set('length', next === 'week' ? 'week' : '')} />
          </span>
        )}
      </div>
      {fault && <FaultBox error={fault} />}
      {everywhere.map((pause) => (
        <PausedLine key={pause.id} pause={pause} outlook={data} mayRun={mayRun} onEnd={endPause} />
      ))}
      {view === 'decisions' ? (
        <Decisions environment={environment} jobs={data.jobs} />
      ) : view === 'rehearsal' ? (
        <Rehearsal environment={environment} outlook={data} />
      ) : data.jobs.length === 0 ? (
        <section className="sheet">
          <Empty>
            Nothing begins by itself yet. A job says when it begins: open one in <Link to="/jobs">Jobs</Link>, and there <i>starts</i>.
          </Empty>
        </section>
      ) : (
        <>
          {moved && <MovedLine moved={moved} outlook={data} environment={environment} onDone={(saved) => { setMoved(undefined); if (saved) void mutate() }} />}
          <section className="sheet" aria-label="starts" style={{ padding: '12px 8px 8px' }}>
            <Night outlook={shown!} played={moved?.played ?? data} from={from} until={until} chosen={chosen} onChoose={setChosen} onMove={mayBuild ? move : undefined} />
          </section>
          {ofJob && <JobPanel job={ofJob} chosen={chosen ?? { job: ofJob.job }} outlook={data} played={moved?.played ?? data} mayRun={mayRun} onPause={(start) => setPausing({ job: ofJob.job, start: start.id })} onEnd={endPause} />}
          {planned.length > 0 && planned.map((pause) => <PausedLine key={pause.id} pause={pause} outlook={data} mayRun={mayRun} onEnd={endPause} />)}
        </>
      )}
      {pausing && (
        <PauseSlip environment={environment} now={data.at} jobs={data.jobs} {...(pausing === 'all' ? {} : pausing)} onClose={() => setPausing(undefined)} onDone={() => { setPausing(undefined); void mutate() }} />
      )}
    </div>
  )
} // prettier-ignore

/** A start that was moved and is not saved: what becomes of the night, and saving it. */
function MovedLine({ moved: { moved, played, to }, outlook, environment, onDone }: { moved: { moved: Moved; played: Played; to: number }; outlook: Outlook; environment: string; onDone: (saved: boolean) => void }): ReactElement {
  const [fault, setFault] = useState<Error>()
  const job = outlook.jobs.find((one) => one.job === moved.job)
  const start = job?.starts.find(({ id }) => id === moved.start)
  const lateBefore = new Set(outlook.foreseen.filter(isLate).map((run) => `${run.job} ${run.due}`))
  const lateNow = played.foreseen.filter(isLate)
  const newlyLate = lateNow.filter((run) => !lateBefore.has(`${run.job} ${run.due}`))
  const save = async () => {
    setFault(undefined)
    const saved = await call(routes.job, { params: { name: moved.job } })
    const starts = (valueAt(saved.text, ['starts']) ?? []) as readonly { readonly id?: string }[]
    const at = starts.findIndex(({ id }) => id === moved.start)
    // only what was moved is written
    const keys = new Set([...Object.keys(start!.given), ...Object.keys(moved.given)])
    const text = [...keys]
      .filter((key) => moved.given[key] !== start!.given[key])
      .reduce((before, key) => setAt(before, ['starts', at, start!.kind, key], moved.given[key]), saved.text)
    const { stays } = await call(routes.saveJob, { params: { name: moved.job }, body: { text, base: saved.newest, message: `start ${moved.start} moved` } })
    const stay = stays.find((one) => one.environment === environment)
    say(
      stay
        ? `saved as a new version; ${environment} stays at version ${stay.version ?? 'none'} until it is put there`
        : `${job?.title} starts at ${clock(new Date(to).toISOString())} from now on`,
    )
    onDone(true)
  }
  return (
    <div className="line" role="status" style={{ flexWrap: 'wrap' }}>
      <span>
        <b>{job?.title}</b> would begin at {clock(new Date(to).toISOString())}
        {newlyLate.length > 0 ? <span className="bad"> · {newlyLate.map((run) => outlook.jobs.find((one) => one.job === run.job)?.title ?? run.job).join(', ')} would then be late</span> : <span className="soft"> · nothing would be late that is not</span>}
        <span className="soft"> · saved as a new version, which runs wherever you may build</span>
      </span>
      <Button variant="contained" color="primary" onClick={() => void save().catch(setFault)}>Save it</Button>
      <Button onClick={() => onDone(false)}>Put it back</Button>
      {fault && <FaultBox error={fault} />}
    </div>
  )
} // prettier-ignore
