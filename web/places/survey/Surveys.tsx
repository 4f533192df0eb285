import type { ReactElement } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { StateWord } from '../../look/State'
import { count, timeText } from '../../look/times'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'

export type Survey = Answer<typeof routes.survey>

/** What a survey found, in a few words. */
export function foundText({ proposals, same, strays }: Survey): string {
  const parts = [
    proposals.new > 0 && `${proposals.new} new`,
    proposals.changed > 0 && `${proposals.changed} changed`,
    proposals.gone > 0 && `${proposals.gone} gone`,
    same > 0 && `${same} as known`,
    strays.length > 0 && `${count(strays.length, 'stray')}`,
  ]
  return parts.filter(Boolean).join(', ')
}

const columns: readonly TableColumn<Survey>[] = [
  { id: 'id', title: 'survey', width: '66px', number: true, cell: ({ id }) => <Link to={`/surveys/${id}`}>{id}</Link> },
  { id: 'state', title: 'state', width: '96px', cell: ({ state }) => <StateWord state={state} /> },
  { id: 'connection', title: 'connection', width: 'minmax(110px, 1fr)', mono: true, cell: ({ connection }) => connection },
  { id: 'scope', title: 'looked at', width: 'minmax(120px, 1.4fr)', mono: true, cell: ({ scope }) => scope.include.join(', ') || <span className="soft">everything</span> },
  { id: 'found', title: 'found', width: 'minmax(180px, 2fr)', cell: foundText },
  { id: 'open', title: 'to decide', width: '84px', number: true, cell: ({ proposals }) => (proposals.open > 0 ? <span className="look">{proposals.open}</span> : '') },
  { id: 'at', title: 'begun', width: 'minmax(150px, 1fr)', cell: ({ createdAt, by }) => `${timeText(createdAt)}, ${by}` },
] // prettier-ignore

export default function Surveys(): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [search] = useSearchParams()
  const connection = search.get('connection') ?? undefined
  const { data, error } = useAnswer(
    routes.surveys,
    { query: { environment, connection } },
    { refreshInterval: 4000 },
  )
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the surveys" />
  return (
    <>
      <div className="head">
        <h1>Surveys</h1>
        <span className="soft">
          {connection ? (
            <>
              of <Link to={`/connections/${connection}`}>{connection}</Link> in {environment}
            </>
          ) : (
            `what was looked through for datasets in ${environment}`
          )}
        </span>
      </div>
      <div className="sheet flush grow rows">
        <Table
          label="surveys"
          columns={columns}
          total={data.length}
          row={(i) => data[i]}
          onOpen={({ id }) => void navigate(`/surveys/${id}`)}
          empty={
            <Empty>
              A survey reads a connection and finds its datasets and their schemas. Begin with one of the{' '}
              <Link to="/connections">connections</Link>.
            </Empty>
          }
        />
      </div>
    </>
  )
}
