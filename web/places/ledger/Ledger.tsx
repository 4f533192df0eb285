import { Button, MenuItem, TextField } from '@mui/material'
import { useCallback, useMemo, type ReactElement } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { hasEnded } from '../../../core/run/when'
import { runStates } from '../../../core/runState'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { useHere } from '../../data/session'
import { Progress, StateWord } from '../../look/State'
import { lengthText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'

type Brief = Answer<typeof routes.runs>['runs'][number]

const spans: Record<string, string> = {
  day: 'the last 24 hours',
  week: 'the last 7 days',
  month: 'the last 30 days',
  all: 'all time',
}
const hours: Record<string, number> = { day: 24, week: 168, month: 720 }

/** How long a run took, or has taken so far. */
function took({ startedAt, endedAt, state }: Brief): string {
  if (!startedAt || (!endedAt && hasEnded(state))) return ''
  const end = endedAt ? new Date(endedAt).getTime() : Date.now()
  return lengthText(Math.max(0, (end - new Date(startedAt).getTime()) / 1000))
}

const columns: readonly TableColumn<Brief>[] = [
  { id: 'id', title: 'run', width: '58px', number: true, cell: ({ id }) => <Link to={`/runs/${id}`}>{id}</Link> },
  { id: 'state', title: 'state', width: '92px', cell: ({ state }) => <StateWord state={state} /> },
  { id: 'job', title: 'job', width: 'minmax(150px, 1.7fr)', cell: ({ title }) => title },
  { id: 'span', title: 'slices', width: 'minmax(96px, 1.2fr)', mono: true, cell: ({ span }) => span ?? '' },
  { id: 'started', title: 'started', width: '108px', cell: ({ createdAt }) => timeText(createdAt) },
  { id: 'took', title: 'took', width: '80px', number: true, cell: took },
  {
    id: 'loads', title: 'loads', width: '176px',
    cell: ({ loads }) => {
      const total = Object.values(loads).reduce((sum, n) => sum + n, 0)
      const failed = loads.failed ?? 0
      return (
        <span style={{ display: 'inline-flex', gap: 8, alignItems: 'center' }}>
          <Progress done={(loads.done ?? 0) + (loads.skipped ?? 0)} running={loads.running ?? 0} failed={failed} total={total} width={80} />
          {numberText(total)}
          {failed > 0 && <span className="bad">{numberText(failed)} failed</span>}
        </span>
      )
    },
  },
  { id: 'written', title: 'rows written', width: '98px', number: true, cell: ({ counts }) => numberText(counts.written) },
  {
    id: 'balance', title: 'balance', width: '96px',
    cell: ({ unbalanced, state, counts }) =>
      unbalanced > 0 ? <span className="bad">off in {unbalanced}</span> : !hasEnded(state) ? '' : counts.rejected > 0 ? <span className="look">{numberText(counts.rejected)} rejected</span> : <span className="good">even</span>,
  },
  { id: 'by', title: 'begun', width: 'minmax(76px, 0.7fr)', cell: ({ by, cause }) => (cause === 'by hand' ? by : cause) },
] // prettier-ignore

/** All runs, newest first, by job, state and time. */
export default function Ledger(): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [search, setSearch] = useSearchParams()
  const jobs = useAnswer(routes.jobs, {})
  const job = search.get('job') ?? ''
  const state = runStates.find((one) => one === search.get('state'))
  const span = search.get('span') ?? 'all'
  const set = (name: string, value: string) =>
    setSearch((now) => {
      const next = new URLSearchParams(now)
      if (value) next.set(name, value)
      else next.delete(name)
      return next
    })
  // rounded, so that the list is not another one every second
  const since = useMemo(
    () =>
      hours[span]
        ? new Date(Math.floor(Date.now() / 60_000) * 60_000 - hours[span] * 3_600_000).toISOString()
        : undefined,
    [span],
  )
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, runs } = await call(routes.runs, {
        query: { offset, limit, environment, job, state, since },
      })
      return { total, rows: runs }
    },
    [environment, job, state, since],
  )
  const pages = usePages(`/api/runs?${environment}&${job}&${state ?? ''}&${since}`, fetchPage)
  const filtered = job !== '' || state !== undefined || span !== 'all'
  return (
    <>
      <div className="head">
        <h1>Ledger</h1>
        <span className="soft">
          {pages.total === undefined
            ? ''
            : `${numberText(pages.total)} ${pages.total === 1 ? 'run' : 'runs'} in ${environment}`}
        </span>
        <div className="actions">
          <TextField
            select
            label="Job"
            value={job}
            onChange={(event) => set('job', event.target.value)}
            sx={{ minWidth: 150 }}
            slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
          >
            <MenuItem value="">all jobs</MenuItem>
            {job !== '' && !jobs.data?.some(({ name }) => name === job) && (
              <MenuItem value={job}>{job}</MenuItem>
            )}
            {jobs.data?.map(({ name, title }) => (
              <MenuItem key={name} value={name}>
                {title}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="State"
            value={state ?? ''}
            onChange={(event) => set('state', event.target.value)}
            sx={{ minWidth: 110 }}
            slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
          >
            <MenuItem value="">all states</MenuItem>
            {['running', 'done', 'failed', 'stopped'].map((name) => (
              <MenuItem key={name} value={name}>
                {name}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            select
            label="Begun in"
            value={span}
            onChange={(event) => set('span', event.target.value === 'all' ? '' : event.target.value)}
            sx={{ minWidth: 140 }}
          >
            {Object.entries(spans).map(([name, words]) => (
              <MenuItem key={name} value={name}>
                {words}
              </MenuItem>
            ))}
          </TextField>
        </div>
      </div>
      {pages.error && <FaultBox error={pages.error} />}
      <div className="sheet flush grow rows">
        <Table
          label="runs"
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          onOpen={({ id }) => void navigate(`/runs/${id}`)}
          empty={
            pages.total === 0 && (
              <Empty>
                {filtered ? (
                  <>
                    No run fits. <Button onClick={() => setSearch({})}>Show all</Button>
                  </>
                ) : (
                  <>
                    Every run of {environment} is kept here, with the proof of its rows. Begin by planning a{' '}
                    <Link to="/jobs">job</Link>.
                  </>
                )}
              </Empty>
            )
          }
        />
      </div>
    </>
  )
}
