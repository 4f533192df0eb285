import { Button } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useMay } from '../../data/session'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Table, type TableColumn } from '../../kit/Table'
import { bytesText, count, lengthText, numberText, timeText } from '../../look/times'

type Worker = Answer<typeof routes.workers>[number]

const secondsSince = (at: string): number => Math.max(0, (Date.now() - new Date(at).getTime()) / 1000)

/** Loads of it that are named in a row; the rest is counted. */
const named = 3

/** What a worker does just now. */
function Doing({ worker: { loads, draining, silent } }: { worker: Worker }): ReactElement {
  if (silent) return <span className="bad">not heard of; its loads go to others</span>
  if (loads.length === 0) return <span className="soft">{draining ? 'takes nothing more' : 'nothing'}</span>
  return (
    <span>
      {draining && <span className="look">takes nothing more; </span>}
      {loads.slice(0, named).map(({ id, run, job, key, waitsFor }, i) => (
        <span key={id} title={waitsFor === null ? undefined : `waits for ${waitsFor}`}>
          {i > 0 && ', '}
          <Link to={`/runs/${run}?load=${id}`}>
            {job} {key}
          </Link>
        </span>
      ))}
      {loads.length > named && ` and ${loads.length - named} more`}
    </span>
  )
}

/** The processes that run loads: where they are, what each does, how it fares; one can be let run dry. */
export default function Workers(): ReactElement {
  const mayDrain = useMay('house')
  const { data, error, mutate } = useAnswer(routes.workers, {}, { keepPreviousData: true, refreshInterval: 2000 })
  const [fault, setFault] = useState<Error>()
  const columns = useMemo((): readonly TableColumn<Worker>[] => {
    const drain = (worker: Worker) =>
      void call(routes.drainWorker, { params: { id: worker.id }, body: { drain: !worker.draining } }).then(() => {
        say(worker.draining ? `Worker ${worker.id} takes loads again` : `Worker ${worker.id} takes nothing more; what it works on comes to its end`)
        void mutate()
      }, setFault)
    return [
      { id: 'id', title: 'worker', width: '64px', cell: ({ id }) => id, value: ({ id }) => id },
      { id: 'host', title: 'on', width: 'minmax(140px, 1fr)', cell: ({ host, pid, tags }) => <span title={tags.length > 0 ? `reaches what needs ${tags.join(', ')}` : undefined}><span className="mono">{host} <span className="soft">{pid}</span></span> {tags.map((tag) => <span key={tag} className="tag">{tag}</span>)}</span>, value: ({ host }) => host },
      { id: 'doing', title: 'does now', width: 'minmax(220px, 3fr)', cell: (worker) => <Doing worker={worker} /> },
      { id: 'busy', title: 'busy', width: '72px', number: true, cell: ({ loads, capacity }) => <>{loads.length} <span className="soft">of {capacity}</span></>, value: ({ loads }) => loads.length },
      { id: 'hour', title: 'last hour', width: '84px', number: true, cell: ({ lastHour }) => numberText(lastHour), value: ({ lastHour }) => lastHour },
      { id: 'memory', title: 'memory', width: '96px', number: true, cell: ({ memory }) => bytesText(memory), value: ({ memory }) => memory },
      { id: 'beat', title: 'heard of', width: '96px', cell: ({ beatAt, silent }) => <span className={silent ? 'bad' : undefined}>{secondsSince(beatAt) < 5 ? 'now' : `${lengthText(secondsSince(beatAt))} ago`}</span>, value: ({ beatAt }) => beatAt },
      { id: 'started', title: 'since', width: '112px', cell: ({ startedAt }) => timeText(startedAt), value: ({ startedAt }) => startedAt },
      { id: 'version', title: 'version', width: '72px', cell: ({ version }) => version, value: ({ version }) => version },
      ...(mayDrain
        ? [{ id: 'drain', title: 'drain', width: '112px', cell: (worker: Worker) => <Button variant="text" aria-label={`${worker.draining ? 'let take again' : 'drain'} worker ${worker.id}`} onClick={() => drain(worker)}>{worker.draining ? 'Take again' : 'Drain'}</Button> }]
        : []),
    ]
  }, [mayDrain, mutate])
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="looking for workers" />
  const heard = data.filter(({ silent }) => !silent)
  const places = heard.filter(({ draining }) => !draining).reduce((sum, { capacity }) => sum + capacity, 0)
  const versions = new Set(heard.map(({ version }) => version))
  return (
    <>
      <div className="head">
        <h1>Workers</h1>
        <span className="soft">
          {count(heard.length, 'worker')}, {count(places, 'load')} at the same time
          {versions.size > 1 && <span className="look"> · of several versions: {[...versions].join(', ')}</span>}
        </span>
      </div>
      {fault && <FaultBox error={fault} />}
      {data.length === 0 ? (
        <Empty>
          No worker is there, so no load runs. <span className="mono">./mattock start</span> begins some;{' '}
          <span className="mono">./mattock worker</span> begins one more, on this machine or another.
        </Empty>
      ) : (
        <div className="sheet flush grow rows">
          <Table label="workers" columns={columns} rows={data} rowHeight={31} />
        </div>
      )}
    </>
  )
} // prettier-ignore
