import { Button } from '@mui/material'
import { useCallback, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { usePages } from '../../data/pages'
import { Choice } from '../../kit/controls'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { StateMark, StateWord, type State } from '../../look/State'
import { lengthText, numberText, timeText } from '../../look/times'
import type { OutlookJob } from './answers'

type Occasion = Answer<typeof routes.occasions>['occasions'][number]
type Decision = Occasion['state']

const words: Record<Decision, { readonly said: string; readonly state: State }> = {
  started: { said: 'begun', state: 'done' },
  due: { said: 'begins', state: 'waiting' },
  skipped: { said: 'left out', state: 'skipped' },
  failed: { said: 'could not begin', state: 'failed' },
  paused: { said: 'paused', state: 'held' },
}

/** How late a run was begun. */
function late({ at, begunAt }: Occasion): string {
  if (begunAt === null) return ''
  const seconds = (Date.parse(begunAt) - Date.parse(at)) / 1000
  return seconds < 0.05 ? 'at once' : lengthText(seconds)
}

const columns: readonly TableColumn<Occasion>[] = [
  { id: 'at', title: 'due', width: '116px', cell: ({ at }) => timeText(at) },
  { id: 'job', title: 'job', width: 'minmax(130px, 1fr)', cell: ({ title }) => title },
  { id: 'start', title: 'start', width: '96px', mono: true, cell: ({ start }) => start },
  { id: 'state', title: 'decided', width: '132px', cell: ({ state }) => <span className="line" style={{ gap: 6, flexWrap: 'nowrap' }}><StateMark state={words[state].state} size={12} />{words[state].said}</span> },
  { id: 'why', title: 'since', width: 'minmax(200px, 2.4fr)', cell: ({ cause, why }) => (why === null ? cause : <span title={`${cause}: ${why}`}>{cause}: <span className="look">{why}</span></span>), hint: ({ cause, why }) => (why === null ? cause : `${cause}: ${why}`) },
  { id: 'span', title: 'slices', width: 'minmax(90px, 0.8fr)', cell: ({ from, to }) => (from === null || to === null ? '' : slices(from, to)) },
  { id: 'late', title: 'begun after', width: '96px', number: true, cell: late },
  { id: 'run', title: 'run', width: '132px', cell: ({ run, runState, plan, state }) => run !== null ? <span className="line" style={{ gap: 8, flexWrap: 'nowrap' }}><Link to={`/runs/${run}`}>{run}</Link>{runState !== null && <StateWord state={runState as State} />}</span> : plan !== null && state !== 'started' ? <Link to={`/plans/${plan}`}>its plan</Link> : '' },
] // prettier-ignore

/** The span that a run takes: one day as a day, else from and to. */
function slices(from: string, to: string): string {
  const days = Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000)
  return days === 1 ? timeText(from) : `${timeText(from)} to ${timeText(to)}`
}

/** What was decided about starts, and why, newest first. */
export function Decisions({
  environment,
  jobs,
}: {
  readonly environment: string
  readonly jobs: readonly OutlookJob[]
}): ReactElement {
  const [job, setJob] = useState('')
  const [state, setState] = useState<Decision | ''>('')
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, occasions } = await call(routes.occasions, {
        query: { environment, offset, limit, job: job || undefined, state: state || undefined },
      })
      return { total, rows: occasions }
    },
    [environment, job, state],
  )
  const pages = usePages(`/api/starts/decisions?${environment}&${job}&${state}`, fetchPage)
  const filtered = job !== '' || state !== ''
  return (
    <div className="stack grow">
      <div className="line">
        <Choice
          label="job"
          value={job}
          options={[['', 'all jobs'], ...jobs.map((one) => [one.job, one.title] as const)]}
          onChange={setJob}
        />
        <Choice
          label="decided"
          value={state}
          options={[
            ['', 'whatever was decided'],
            ...(Object.entries(words) as [Decision, { said: string }][]).map(
              ([one, { said }]) => [one, said] as const,
            ),
          ]}
          onChange={(next) => setState(next as Decision | '')}
        />
        <span className="soft">{pages.total === undefined ? '' : numberText(pages.total)}</span>
      </div>
      {pages.error && <FaultBox error={pages.error} />}
      <div className="sheet flush grow rows">
        <Table
          label="decisions"
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          empty={
            pages.total === 0 && (
              <Empty>
                {filtered ? (
                  <>
                    Nothing fits.{' '}
                    <Button
                      onClick={() => {
                        setJob('')
                        setState('')
                      }}
                    >
                      Show all
                    </Button>
                  </>
                ) : (
                  'No start has come yet. What is decided about each is listed here with its reason: begun, late, left out, paused.'
                )}
              </Empty>
            )
          }
        />
      </div>
    </div>
  )
}
