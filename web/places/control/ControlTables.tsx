import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere, useMayEverywhere } from '../../data/session'
import { numberText, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { NewControl } from './NewControl'

type Brief = Answer<typeof routes.controlTables>[number]

const columns: readonly TableColumn<Brief>[] = [
  { id: 'name', title: 'control table', width: 'minmax(150px, 1fr)', mono: true, cell: ({ name }) => <Link to={`/control/${name}`}>{name}</Link>, value: ({ name }) => name },
  { id: 'title', title: 'what it says', width: 'minmax(200px, 2fr)', cell: ({ title }) => title, value: ({ title }) => title },
  { id: 'rows', title: 'rows', width: '80px', number: true, cell: ({ rows }) => (rows === null ? <span className="soft">not there</span> : numberText(rows)), value: ({ rows }) => rows },
  { id: 'jobs', title: 'read by', width: 'minmax(130px, 1fr)', cell: ({ jobs }) => jobs.join(', ') || <span className="soft">no job yet</span>, value: ({ jobs }) => jobs.join(', ') },
  { id: 'where', title: 'table', width: 'minmax(150px, 1fr)', mono: true, cell: ({ where }) => where, value: ({ where }) => where },
  { id: 'changed', title: 'changed here', width: '180px', cell: ({ changedAt, changedBy }) => (changedAt ? `${timeText(changedAt)}, ${changedBy}` : <span className="soft">never</span>), value: ({ changedAt }) => changedAt },
] // prettier-ignore

/** Tables whose rows say what to load, from where, to where and how. */
export default function ControlTables(): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const mayChange = useMayEverywhere('build')
  const [making, setMaking] = useState(false)
  const { data, error } = useAnswer(routes.controlTables, { query: { environment } })
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the control tables" />
  return (
    <>
      <div className="head">
        <h1>Control tables</h1>
        <span className="soft">a new source is a new row here, not a new job</span>
        {mayChange && (
          <div className="actions">
            <Button
              aria-expanded={making}
              variant="contained"
              color="primary"
              onClick={() => setMaking(!making)}
            >
              New control table
            </Button>
          </div>
        )}
      </div>
      {making && <NewControl onClose={() => setMaking(false)} />}
      <div className="sheet flush grow rows">
        <Table
          label="control tables"
          columns={columns}
          rows={data}
          onOpen={({ name }) => void navigate(`/control/${name}`)}
          rowHeight={31}
          empty={
            <Empty>
              A control table is a real database table whose rows say what to load, from where, to where and
              how. There is none yet.
            </Empty>
          }
        />
      </div>
    </>
  )
}
