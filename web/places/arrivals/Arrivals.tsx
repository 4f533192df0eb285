import { Button } from '@mui/material'
import { Fragment, useCallback, useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { isOverdue } from '../../../core/arrivals/arrival'
import { useAddress } from '../../data/address'
import { call, useAnswer } from '../../data/api'
import { useHere, useMay } from '../../data/session'
import { Flag } from '../../kit/controls'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { Views } from '../../kit/Views'
import { BarMark } from '../../look/Bars'
import { bytesText, count, numberText, timeText } from '../../look/times'
import { pickedByJob, type Line, type Place } from '../coverage/lines'
import { PickedLines, usePlanning } from '../coverage/PickedLines'
import { Sheet } from '../coverage/Sheet'
import { AnswerSlip, mayAnswer } from './AnswerSlip'
import { linesOf } from './lines'
import { UseSlip } from './UseSlip'
import { dueWords, habitWords, shown, type Arrival, type Arrivals as Answered, type Stray } from './words'

const day = 86_400_000
/** Days of data that are looked at. */
const days = 60
type View = 'now' | 'feeds' | 'strays'

/** The files that rows and slices expect: what is due now, every feed along the days, and files that nobody expects. */
export default function Arrivals(): ReactElement {
  const { environment } = useHere()
  const mayRun = useMay('run', environment)
  const [search, set] = useAddress()
  const view = (search.get('view') ?? 'now') as View
  const overdueOnly = search.get('overdue') === 'only'
  const [opened] = useState(() => Math.ceil(Date.now() / day) * day)
  const query = { environment, from: new Date(opened - days * day).toISOString(), until: new Date(opened).toISOString() }
  const { data, error, mutate } = useAnswer(routes.arrivals, { query }, { keepPreviousData: true, refreshInterval: 20_000 })
  const planning = usePlanning(environment)
  const [fault, setFault] = useState<Error>()
  const navigate = useNavigate()
  const load = useCallback(
    ({ job, part, row, slice }: Arrival) => {
      setFault(undefined)
      call(routes.makePlan, { body: { job, environment, picks: [{ part, row, from: slice.from, to: slice.to }] } }).then(
        ({ id }) => navigate(`/plans/${id}`),
        setFault,
      )
    },
    [environment, navigate],
  )
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="looking for files" />
  const overdue = data.newest.filter(({ state }) => isOverdue(state)).length
  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Arrivals</h1>
        <span className="soft">
          the files that jobs expect, in {environment} · {count(data.newest.length, 'file')} due with the newest slices
          {overdue > 0 && <span className="bad"> · {numberText(overdue)} late or missing</span>}
        </span>
      </div>
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <Views
          label="view"
          value={view}
          views={[['now', 'by due time'], ['feeds', `by feed, ${days} days`], ['strays', `unexpected (${numberText(data.strays.length)})`]]}
          onChange={(next) => set('view', next === 'now' ? '' : next)}
        />
        {view !== 'strays' && <Flag label="only what is late or missing" words="only what is late or missing" checked={overdueOnly} onChange={(on) => set('overdue', on ? 'only' : '')} />}
      </div>
      {fault && <FaultBox error={fault} />}
      {data.jobs.filter(({ without }) => without !== null).map(({ job, title, without }) => (
        <div key={job} className="look" role="status">
          <Link to={`/jobs/${job}`}>{title}</Link>: {without}
        </div>
      ))}
      {data.jobs.length === 0 ? (
        <section className="sheet">
          <Empty>No job reads files for its slices yet. One that does, say a file for each feed and day, has here what it expects, when that is due, and whether it came.</Empty>
        </section>
      ) : view === 'now' ? (
        <Now data={data} overdueOnly={overdueOnly} onLoad={mayRun ? load : undefined} onChanged={() => void mutate()} />
      ) : view === 'feeds' ? (
        <Feeds data={data} overdueOnly={overdueOnly} from={opened - days * day} planning={planning} environment={environment} mayRun={mayRun} />
      ) : (
        <Strays data={data} onUsed={mayRun ? () => void mutate() : undefined} />
      )}
    </div>
  )
} // prettier-ignore

/** Where the first rows of a file are shown. */
const rowsOf = (store: string, path: string): string =>
  `/connections/${encodeURIComponent(store)}?${new URLSearchParams({ path: path.slice(0, Math.max(0, path.lastIndexOf('/'))), rows: path }).toString()}`

/** Did a file come that was not loaded? */
const mayLoad = ({ state }: Arrival): boolean => state === 'here' || state === 'again'

/** The files that came, each leading to its first rows; the name that is expected where none did. */
function FileNames({ arrival: { files, name, store } }: { readonly arrival: Arrival }): ReactElement {
  if (files.length === 0) return <>{name}</>
  return (
    <>
      {files.map(({ path }, at) => (
        <Fragment key={path}>
          {at > 0 && ', '}
          <Link to={rowsOf(store, path)} title="its first rows" onClick={(event) => event.stopPropagation()}>
            {path}
          </Link>
        </Fragment>
      ))}
    </>
  )
}

/** What the newest slices expect, what is due first at the top. */
function Now({ data, overdueOnly, onLoad, onChanged }: { readonly data: Answered; readonly overdueOnly: boolean; readonly onLoad: ((arrival: Arrival) => void) | undefined; readonly onChanged: () => void }): ReactElement {
  const zones = useMemo(() => new Map(data.jobs.map(({ job, zone }) => [job, zone])), [data])
  const rows = useMemo(
    () => data.newest.filter(({ state }) => !overdueOnly || isOverdue(state)).sort((a, b) => (a.due ?? '9').localeCompare(b.due ?? '9') || a.row.localeCompare(b.row)),
    [data, overdueOnly],
  )
  const [asking, setAsking] = useState<Arrival>()
  const columns = useMemo((): TableColumn<Arrival>[] => [
    { id: 'state', title: 'state', width: '112px', value: ({ state }) => state, cell: ({ state, answer }) => <span title={answer ? `${answer.by}: ${answer.why}` : undefined} className={isOverdue(state) ? 'bad' : state === 'here' || state === 'again' || state === 'empty' ? 'look' : undefined} style={{ display: 'inline-flex', gap: 6, alignItems: 'center' }}><BarMark state={shown[state].state} rejected={shown[state].capped} /> {shown[state].words}{answer?.file != null && ', instead'}</span> },
    { id: 'due', title: 'due', width: '190px', value: ({ due }) => due, cell: ({ due, job, state }) => (due === null ? '' : isOverdue(state) ? dueWords(due, data.at, zones.get(job)!) : timeText(due, zones.get(job))) },
    { id: 'row', title: 'feed', width: 'minmax(120px, 0.9fr)', value: ({ row }) => row, cell: ({ row }) => row },
    { id: 'slice', title: 'slice', width: '94px', mono: true, value: ({ slice }) => slice.label, cell: ({ slice }) => slice.label },
    { id: 'name', title: 'file', width: 'minmax(180px, 1.8fr)', mono: true, value: ({ name }) => name, cell: (arrival) => <FileNames arrival={arrival} />, hint: ({ name, answer }) => (answer?.file == null ? name : `in place of ${answer.replaces}, as ${answer.by} said: ${answer.why}`) },
    { id: 'size', title: 'size', width: '60px', number: true, value: ({ files }) => files.reduce((sum, { size }) => sum + size, 0), cell: ({ files }) => (files.length === 0 ? '' : bytesText(files.reduce((sum, { size }) => sum + size, 0))) },
    { id: 'came', title: 'came', width: '98px', value: ({ came }) => came, cell: ({ came, job }) => (came === null ? '' : timeText(came, zones.get(job))) },
    { id: 'habit', title: 'usually', width: '84px', cell: ({ habit, slice, job }) => <span className="soft">{habit && `by ${habitWords(habit, slice.to, zones.get(job)!).slice(-5)}`}</span>, hint: ({ habit, slice, job }) => habitWords(habit, slice.to, zones.get(job)!) },
    ...(onLoad ? [{ id: 'load', title: '', width: rows.some((arrival) => mayLoad(arrival) && arrival.answer) ? '128px' : '76px', cell: (arrival: Arrival) => (
      <>
        {mayLoad(arrival) && <Button variant="text" onClick={(event) => { event.stopPropagation(); onLoad(arrival) }}>Plan it</Button>}
        {mayAnswer(arrival) && <Button variant="text" title={arrival.answer ? `${arrival.answer.by}: ${arrival.answer.why}` : undefined} onClick={(event) => { event.stopPropagation(); setAsking(arrival) }}>{arrival.answer ? 'Said' : 'Answer'}</Button>}
      </>
    ) }] : []),
  ], [data.at, zones, onLoad, rows])
  return (
    <section className="sheet grow" aria-label="what is due" style={{ display: 'flex', flexDirection: 'column', minHeight: 200 }}>
      <Table label="arrivals" rows={rows} columns={columns} empty={<Empty>{overdueOnly ? 'Nothing is late or missing.' : 'Nothing is expected for the newest slices.'}</Empty>} />
      {asking && <AnswerSlip arrival={asking} now={data.at} strays={data.strays} onClose={() => setAsking(undefined)} onDone={() => { setAsking(undefined); onChanged() }} />}
    </section>
  )
} // prettier-ignore

/** Every feed along the days. */
function Feeds({ data, overdueOnly, from, planning, environment, mayRun }: { readonly data: Answered; readonly overdueOnly: boolean; readonly from: number; readonly planning: ReturnType<typeof usePlanning>; readonly environment: string; readonly mayRun: boolean }): ReactElement {
  const lines = useMemo(() => linesOf(data, overdueOnly), [data, overdueOnly])
  const [chosen, setChosen] = useState<{ readonly id: string; readonly slice: number }>()
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set())
  const cursor = useMemo((): Place | undefined => {
    const line = lines.findIndex(({ id }) => id === chosen?.id)
    return line < 0 ? undefined : { line, slice: chosen!.slice }
  }, [lines, chosen])
  const choose = useCallback((place: Place) => setChosen({ id: lines[place.line]!.id, slice: place.slice }), [lines])
  const jobsPicked = useMemo(() => (picked.size === 0 ? [] : pickedByJob(lines, picked)), [lines, picked])
  const line: Line | undefined = cursor && lines[cursor.line]
  if (lines.length === 0) return <section className="sheet"><Empty>Nothing is late or missing.</Empty></section>
  return (
    <>
      <section className="sheet" style={{ padding: '8px 6px 6px' }}>
        <Sheet lines={lines} from={from} until={Date.parse(data.at)} zone={data.jobs[0]?.zone ?? 'UTC'} cursor={cursor} picked={picked} onCursor={choose} onPicked={setPicked} />
      </section>
      {jobsPicked.length > 0 ? (
        <PickedLines picked={jobsPicked} planning={planning} environment={environment} mayRun={mayRun} onClear={() => setPicked(new Set())} />
      ) : (
        line?.kind === 'row' && (
          <section className="sheet" aria-label="the file" style={{ padding: '8px 12px' }}>
            <b>{line.title} · {line.job.slices[cursor!.slice]!.label}</b> {line.said!(cursor!.slice)} · <Link to={`/coverage?job=${line.job.job}`}>see it covered</Link>
          </section>
        )
      )}
      <div className="line soft" style={{ flexWrap: 'wrap', gap: 12, fontSize: 12 }}>
        {(['loaded', 'here', 'again', 'expected', 'late', 'missing', 'empty', 'without'] as const).map((state) => (
          <span key={state} className="line" style={{ gap: 5 }}>
            <BarMark state={shown[state].state} rejected={shown[state].capped} /> {shown[state].words}
          </span>
        ))}
      </div>
    </>
  )
} // prettier-ignore

const strayColumns: readonly TableColumn<Stray>[] = [
  { id: 'path', title: 'file', width: 'minmax(190px, 1.2fr)', mono: true, value: ({ path }) => path, cell: ({ path, store }) => <Link to={rowsOf(store, path)} title="its first rows">{path}</Link> },
  { id: 'count', title: 'files', width: '60px', number: true, value: ({ count: many }) => many, cell: ({ count: many }) => numberText(many) },
  { id: 'store', title: 'in', width: '110px', value: ({ store }) => store, cell: ({ store }) => <Link to={`/connections/${store}`}>{store}</Link> },
  { id: 'size', title: 'size', width: '74px', number: true, value: ({ size }) => size, cell: ({ size }) => bytesText(size) },
  { id: 'modified', title: 'came', width: '104px', value: ({ modified }) => modified, cell: ({ modified }) => timeText(modified) },
  { id: 'nearest', title: 'most like', width: 'minmax(150px, 1fr)', value: ({ nearest }) => nearest?.row ?? null, cell: ({ nearest }) => (nearest ? <span title={nearest.name}>{nearest.row} <span className="soft mono">{nearest.name}</span></span> : <span className="soft">nothing</span>) },
  {
    id: 'proposed', title: 'a row that would expect it', width: 'minmax(180px, 1.2fr)',
    cell: ({ proposed, control }) =>
      proposed === null ? '' : (
        <span title={Object.entries(proposed).map(([column, value]) => `${column}: ${String(value)}`).join('\n')}>
          {control === null ? Object.values(proposed).filter((value) => typeof value === 'string').slice(0, 3).join(', ') : <Link to={`/control/${control}`}>{Object.values(proposed).filter((value) => typeof value === 'string').slice(0, 3).join(', ')}</Link>}
        </span>
      ),
  },
] // prettier-ignore

/** Files that came and that no row expects. */
function Strays({ data, onUsed }: { readonly data: Answered; readonly onUsed: (() => void) | undefined }): ReactElement {
  const [using, setUsing] = useState<Stray>()
  const columns = useMemo(
    (): readonly TableColumn<Stray>[] =>
      onUsed ? [...strayColumns, { id: 'use', title: '', width: '92px', cell: (stray) => <Button variant="text" title="it is the file that a row expects" onClick={(event) => { event.stopPropagation(); setUsing(stray) }}>Take it for</Button> }] : strayColumns,
    [onUsed],
  )
  return (
    <section className="sheet grow" aria-label="unexpected files" style={{ display: 'flex', flexDirection: 'column', minHeight: 200 }}>
      <Table label="unexpected files" rows={data.strays} columns={columns} empty={<Empty>Every file that came in these days is expected by a row.</Empty>} />
      {using && <UseSlip stray={using} data={data} onClose={() => setUsing(undefined)} onDone={() => { setUsing(undefined); onUsed?.() }} />}
    </section>
  )
} // prettier-ignore
