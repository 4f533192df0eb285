import { everyText } from '../../../core/slice/words'
import { Button, TextField } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useMaySomewhere } from '../../data/session'
import { StateWord } from '../../look/State'
import { timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { NewJob } from './CopyJob'

type Brief = Answer<typeof routes.jobs>[number]

/** `P1D, Europe/Oslo` in words. */
const slicesText = (slices: string | null): string => {
  const [every = '', ...zone] = (slices ?? '').split(', ')
  return [every && everyText(every), ...zone].filter(Boolean).join(', ')
}

/** Environments that run another version, ` (live 3)`. */
const othersText = (version: number, runsIn: Brief['runsIn']): string => {
  const other = runsIn.filter((one) => one.version !== version)
  return other.length === 0 ? '' : ` (${other.map((one) => `${one.environment} ${one.version}`).join(', ')})`
}
const others = (version: number, runsIn: Brief['runsIn']) => (
  <span className="soft">{othersText(version, runsIn)}</span>
)

const columns: readonly TableColumn<Brief>[] = [
  { id: 'title', title: 'job', width: 'minmax(150px, 1.2fr)', cell: ({ name, title }) => <Link to={`/jobs/${name}`}>{title}</Link>, value: ({ title }) => title, hint: ({ title }) => title },
  { id: 'rosters', title: 'loops over', width: 'minmax(180px, 2fr)', cell: ({ rosters }) => rosters.join('; ') || <span className="soft">nothing, it runs once</span>, hint: ({ rosters }) => rosters.join('; '), value: ({ rosters }) => rosters.join('; ') },
  { id: 'slices', title: 'slices', width: '150px', cell: ({ slices }) => slicesText(slices) || <span className="soft">none</span>, value: ({ slices }) => slicesText(slices) },
  { id: 'tags', title: 'tags', width: 'minmax(90px, 0.7fr)', cell: ({ tags }) => tags.join(', '), value: ({ tags }) => tags.join(', '), hint: ({ tags }) => tags.join(', ') },
  { id: 'version', title: 'version', width: '180px', cell: ({ version, savedAt, savedBy, runsIn }) => <>{version}{others(version, runsIn)} · {timeText(savedAt)}, {savedBy}</>, hint: ({ version, savedAt, savedBy, runsIn }) => `${version}${othersText(version, runsIn)} · ${timeText(savedAt)}, ${savedBy}`, value: ({ savedAt }) => savedAt },
  {
    id: 'last', title: 'last run', width: '230px', value: ({ lastRun }) => lastRun?.at ?? null,
    cell: ({ lastRun }) =>
      lastRun ? (
        <span className="line">
          <StateWord state={lastRun.state} />
          <Link to={`/runs/${lastRun.id}`}>run {lastRun.id}</Link>
          <span className="soft">{timeText(lastRun.at)}</span>
        </span>
      ) : (
        <span className="soft">never</span>
      ),
  },
] // prettier-ignore

export default function Jobs(): ReactElement {
  const navigate = useNavigate()
  const { data, error } = useAnswer(routes.jobs, {})
  const mayChange = useMaySomewhere('build')
  const [text, setText] = useState('')
  const found = useMemo(
    () =>
      (data ?? []).filter(({ name, title, tags }) =>
        `${name} ${title} ${tags.join(' ')}`.toLowerCase().includes(text.toLowerCase()),
      ),
    [data, text],
  )
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the jobs" />
  return (
    <>
      <div className="head">
        <h1>Jobs</h1>
        <span className="soft">what to do, defined once, for every row of a roster</span>
        <div className="actions">
          <TextField
            placeholder="find a job or tag"
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { 'aria-label': 'find a job or tag' } }}
          />
          {mayChange && (
            <Button component={Link} to="/jobs-in">
              Bring in
            </Button>
          )}
          {mayChange && <NewJob />}
        </div>
      </div>
      <div className="sheet flush grow rows">
        <Table
          label="jobs"
          columns={columns}
          rows={found}
          onOpen={({ name }) => void navigate(`/jobs/${name}`)}
          rowHeight={31}
          empty={
            <Empty>
              {text
                ? 'No job is called that.'
                : 'A job says what to do with each row of a roster. There is none yet.'}
            </Empty>
          }
        />
      </div>
    </>
  )
}
