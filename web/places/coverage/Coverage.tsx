import { Button, IconButton } from '@mui/material'
import ChevronLeftIcon from '@mui/icons-material/ChevronLeft'
import ChevronRightIcon from '@mui/icons-material/ChevronRight'
import { useMemo, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import { routes } from '../../../contract/routes'
import { everyText } from '../../../core/slice/words'
import { stepIn, useAddress } from '../../data/address'
import { useTimeOf } from '../../data/timeOf'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { Choice, Flag, TextInput } from '../../kit/controls'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { count } from '../../look/times'
import { CoveredRows } from './CoveredRows'
import { linesOf, type Coverage as Answered } from './lines'

const day = 86_400_000
/** Stretches that one may go back. */
const farthest = 1000
/** Days that are looked at, and what that is called. */
const spans = [['2', '2 days'], ['14', '2 weeks'], ['60', '60 days'], ['365', 'a year'], ['1826', '5 years']] as const // prettier-ignore
/** Which slices of data are there, row by row along data time, and what is missing. */
export default function Coverage(): ReactElement {
  const { environment } = useHere()
  const [search, set] = useAddress()
  const job = search.get('job') ?? ''
  const length = spans.find(([days]) => days === search.get('days'))?.[0] ?? '60'
  const back = stepIn(search, 'back', farthest)
  const by = search.get('by') ?? ''
  const gapsOnly = search.get('gaps') === 'only'
  const [opened, tell] = useTimeOf(day)
  const days = Number(length)
  // whole days, so that the same page is asked for all day
  const last = Math.ceil(opened / day) * day - back * days * day
  const query = { environment, from: new Date(last - days * day).toISOString(), until: new Date(last).toISOString(), ...(job === '' ? {} : { job }) }
  const { data, error } = useAnswer(routes.coverage, { query }, { keepPreviousData: true, refreshInterval: 30_000 })
  // the clock that starts go by may not be ours
  tell(data?.at)
  // every job, also when one is shown alone
  const known = useJobs(data, job)
  const [wanted, setWanted] = useState('')
  const lines = useMemo(() => linesOf(data?.jobs ?? [], { by, gapsOnly, wanted }), [data, by, gapsOnly, wanted])
  if (error && !data)
    return (
      <FaultBox error={error}>
        {job !== '' && (
          <p>
            What has no slices has no data time to be covered; its runs are in the <Link to={`/ledger?job=${encodeURIComponent(job)}`}>ledger</Link>. <Link to="/coverage">Every job with slices</Link>
          </p>
        )}
      </FaultBox>
    )
  if (!data) return <Waiting what="reading what was loaded" />
  const columns = [...new Set(data.jobs.flatMap((one) => one.columns))]
  const rows = lines.filter(({ kind }) => kind === 'row').length
  const gaps = lines.reduce((sum, one) => sum + (one.kind === 'row' ? one.row.gaps : 0), 0)
  const until = Math.min(last, Date.parse(data.at))
  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Coverage</h1>
        <span className="soft">
          which slices of data are there, in {environment} · {count(rows, 'row')}
          {gaps > 0 && <span className="bad"> · {count(gaps, 'slice')} missing or failed</span>}
          {data.jobs.length === 1 && ` · ${everyText(data.jobs[0]!.every)}, zone ${data.jobs[0]!.zone}`}
        </span>
      </div>
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <Choice label="job" value={job} options={[['', 'all jobs'], ...known.map(({ job: name, title }) => [name, title] as const)]} onChange={(next) => set('job', next)} />
        <Choice label="rows put together by" value={columns.includes(by) ? by : ''} options={[['', 'by job'], ...columns.map((column) => [column, `by ${column}`] as const)]} onChange={(next) => set('by', next)} />
        <Flag label="only gaps" words="only gaps" checked={gapsOnly} onChange={(on) => set('gaps', on ? 'only' : '')} />
        <TextInput label="find a row" placeholder="find a row" value={wanted} width={160} onChange={setWanted} />
        <span className="line" style={{ marginLeft: 'auto', gap: 4 }}>
          <IconButton size="small" aria-label="earlier" onClick={() => set('back', String(back + 1))}><ChevronLeftIcon /></IconButton>
          <Button variant="text" disabled={back === 0} onClick={() => set('back', '')}>up to now</Button>
          <IconButton size="small" aria-label="later" disabled={back === 0} onClick={() => set('back', back <= 1 ? '' : String(back - 1))}><ChevronRightIcon /></IconButton>
          <Choice label="how much is shown" value={length} options={spans} onChange={(next) => { set('days', next === '60' ? '' : next); set('back', '') }} />
        </span>
      </div>
      {lines.length === 0 ? (
        <section className="sheet">
          <Empty>
            {known.length === 0 ? (
              <>
                No job goes through slices yet. A job that says <span className="mono">slices</span> is loaded day by day, or hour by hour, and is drawn here: open one in <Link to="/jobs">Jobs</Link>.
              </>
            ) : gapsOnly ? (
              'Nothing is missing: every slice that is due is loaded.'
            ) : (
              'No row is called so.'
            )}
          </Empty>
        </section>
      ) : (
        <CoveredRows lines={lines} from={last - days * day} until={until} zone={data.jobs[0]?.zone ?? 'UTC'} environment={environment} />
      )}
    </div>
  )
} // prettier-ignore

/** The jobs there are to choose from: those of the last answer that had all. */
function useJobs(data: Answered | undefined, job: string): readonly { readonly job: string; readonly title: string }[] {
  const [known, setKnown] = useState<readonly { readonly job: string; readonly title: string }[]>([])
  const jobs = data?.jobs
  if (jobs && job === '' && jobs !== known && (jobs.length !== known.length || jobs.some((one, at) => one.job !== known[at]?.job))) setKnown(jobs)
  return known.length > 0 ? known : (jobs ?? [])
} // prettier-ignore
