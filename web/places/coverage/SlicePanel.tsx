import { Link, useNavigate } from 'react-router'
import { useMemo, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { cellState } from '../../../core/coverage/cells'
import { useAnswer } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { BarMark } from '../../look/Bars'
import { StateWord, type State } from '../../look/State'
import { bytesText, count, numberText, timeText } from '../../look/times'
import type { RowLine } from './lines'
import { Why } from './Why'
import { spanWords, stateWords } from './words'

type Load = Answer<typeof routes.slice>['loads'][number]

const columns: readonly TableColumn<Load>[] = [
  { id: 'run', title: 'run', width: '64px', number: true, cell: ({ run }) => <Link to={`/runs/${run}`}>{run}</Link> },
  { id: 'state', title: 'state', width: '92px', cell: ({ state }) => <StateWord state={state as State} /> },
  { id: 'at', title: 'ended', width: '112px', cell: ({ at }) => (at === null ? '' : timeText(at)) },
  { id: 'rows', title: 'rows', width: '86px', number: true, cell: ({ rows, state }) => (state === 'done' ? numberText(rows) : '') },
  { id: 'rejected', title: 'rejected', width: '80px', number: true, cell: ({ rejected }) => (rejected > 0 ? <span className="look">{numberText(rejected)}</span> : '') },
  { id: 'begun', title: 'begun by', width: 'minmax(110px, 0.7fr)', cell: ({ by, cause }) => (cause === 'by hand' ? by : cause) },
  { id: 'message', title: 'why', width: 'minmax(160px, 1.6fr)', cell: ({ message }) => <span title={message ?? ''}>{message ?? ''}</span> },
] // prettier-ignore

/** Everything that is known of one slice of one row: its loads over time, its files, and what was made of it. */
export function SlicePanel({ line, slice, environment }: { readonly line: RowLine; readonly slice: number; readonly environment: string }): ReactElement {
  const navigate = useNavigate()
  const { job, row } = line
  const span = job.slices[slice]!
  const { data, error } = useAnswer(
    routes.slice,
    { query: { environment, job: job.job, part: row.part, row: row.row, from: span.from, to: span.to, label: span.label } },
    { keepPreviousData: true },
  )
  const state = cellState(row.letters[slice] ?? 'N')
  const rows = row.rows[slice] ?? 0
  const said = useMemo(() => (data ? rowsWords(rows, data.usual) : ''), [data, rows])
  return (
    <section className="sheet" aria-label="the slice">
      <div className="line" style={{ flexWrap: 'wrap', padding: '8px 12px' }}>
        <b>
          {line.title} · {spanWords(job, slice)}
        </b>
        <span className="line" style={{ gap: 6 }}>
          <BarMark state={state} rejected={line.rejected.has(slice) ? 0.3 : 0} />
          {stateWords[state]}
        </span>
        {(state === 'loaded' || state === 'renewed') && <span className="soft">{said}</span>}
        {data && data.total > data.loads.length && <span className="soft">{count(data.total, 'load')} in all, of which {numberText(data.loads.length)} are still kept</span>}
      </div>
      {error && !data ? (
        <FaultBox error={error} />
      ) : data?.loads.length === 0 ? (
        data.total > 0 && (
          <p className="soft" style={{ padding: '0 12px 8px', margin: 0 }}>
            Its loads are no longer kept.
          </p>
        )
      ) : (
        data && <Table label="loads of the slice" rows={data.loads} columns={columns} height={Math.min(data.loads.length, 6) * 29 + 32} onOpen={({ run, id }) => void navigate(`/runs/${run}?load=${id}`)} />
      )}
      {state !== 'loaded' && state !== 'nothing' && <Why environment={environment} job={job.job} part={row.part} row={row.row} span={span} />}
      {data && (data.files.length > 0 || data.uses.length > 0) && (
        <div style={{ padding: '6px 12px 10px', display: 'grid', gap: 4 }}>
          {data.files.length > 0 && (
            <div>
              <span className="soft">files: </span>
              {data.files.map(({ path, store, size, modified }, at) => (
                <span key={`${path} ${at}`}>
                  {at > 0 && ', '}
                  <span className="mono">{path}</span>{' '}
                  <span className="soft">
                    in {store}, {bytesText(size)}, written {timeText(modified)}
                  </span>
                </span>
              ))}
            </div>
          )}
          {data.uses.length > 0 && (
            <div>
              <span className="soft">read since by: </span>
              {data.uses.map(({ job: of, title, run, at, label }, place) => (
                <span key={`${of} ${run}`}>
                  {place > 0 && ', '}
                  <Link to={`/runs/${run}`}>
                    {title}
                    {label === null ? '' : ` ${label}`}
                  </Link>{' '}
                  <span className="soft">{timeText(at)}</span>
                </span>
              ))}
            </div>
          )}
        </div>
      )}
    </section>
  )
} // prettier-ignore

/** How many rows, against what is usual of its row. */
function rowsWords(rows: number, usual: number | null): string {
  const counted = count(rows, 'row')
  if (usual === null || usual === 0) return counted
  const share = rows / usual
  return share > 0.8 && share < 1.25
    ? `${counted}, as usual (${numberText(Math.round(usual))})`
    : `${counted}; the slices before it had some ${numberText(Math.round(usual))}`
}
