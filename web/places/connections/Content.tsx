import { LinkButton } from '../../kit/LinkButton'
import { Button, TextField } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { useHere, useMayChange } from '../../data/session'
import { bytesText, numberText, timeText } from '../../look/times'
import { DataGrid } from '../../kit/DataGrid'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'
import { SurveyForm } from '../survey/SurveyForm'

type Entry = Answer<typeof routes.browse>[number]

const columns: readonly TableColumn<Entry>[] = [
  { id: 'name', title: 'name', width: 'minmax(150px, 2fr)', mono: true, cell: ({ kind, name }) => (kind === 'folder' || kind === 'schema' ? <b>{name}{kind === 'folder' ? '/' : ''}</b> : name), hint: ({ name }) => name },
  { id: 'kind', title: 'kind', width: '78px', cell: ({ kind }) => <span className="soft">{kind}</span> },
  { id: 'size', title: 'size', width: '74px', number: true, cell: ({ size }) => (size === null ? '' : bytesText(size)) },
  { id: 'rows', title: 'rows', width: '74px', number: true, cell: ({ rows, kind }) => (rows === null ? '' : kind === 'schema' ? `${numberText(rows)} in it` : `≈ ${numberText(rows)}`) },
  { id: 'modified', title: 'changed', width: '104px', cell: ({ modified }) => (modified ? timeText(modified) : '') },
] // prettier-ignore

const opens = ({ kind }: Entry): boolean => kind === 'folder' || kind === 'schema'

/** What lies in a connection, and the first rows of anything in it, before anything is set up. */
export default function Content(): ReactElement {
  const { name = '' } = useParams()
  const { environment } = useHere()
  const mayChange = useMayChange()
  const [search, setSearch] = useSearchParams()
  const path = search.get('path') ?? ''
  const shown = search.get('rows')
  const [surveying, setSurveying] = useState(false)
  const [text, setText] = useState('')
  const { data, error } = useAnswer(
    routes.browse,
    { params: { name }, query: { environment, path } },
    { keepPreviousData: true },
  )
  const open = (entry: Entry) => {
    if (opens(entry)) setText('')
    setSearch(opens(entry) ? { path: entry.path } : { path, rows: entry.path })
  }
  const slashes = path.includes('/') || !path.includes('.')
  const steps = path === '' ? [] : slashes ? path.split('/') : [path]
  const found = useMemo(
    () => (data ?? []).filter(({ name: of }) => of.toLowerCase().includes(text.toLowerCase())),
    [data, text],
  )
  const chosen = found.findIndex((entry) => entry.path === shown)
  // a column that nothing here fills, or that has no room beside the first rows, is left out
  const drawn = columns.filter(({ id }) =>
    id === 'rows' || id === 'size'
      ? data?.some((entry) => entry[id] !== null)
      : id === 'modified'
        ? !shown && data?.some(({ modified }) => modified !== null)
        : true,
  )
  return (
    <>
      <div className="head">
        <h1>
          <Link to={`/connections?open=${name}`} className="mono">
            {name}
          </Link>
        </h1>
        <nav aria-label="where" className="mono soft">
          <LinkButton onClick={() => setSearch({})}>top</LinkButton>
          {steps.map((step, i) => (
            <span key={i}>
              {' / '}
              <LinkButton onClick={() => setSearch({ path: steps.slice(0, i + 1).join('/') })}>
                {step}
              </LinkButton>
            </span>
          ))}
        </nav>
        {data && <span className="soft">{numberText(data.length)} here</span>}
        <div className="actions">
          <TextField
            placeholder="find here"
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { 'aria-label': 'find here' } }}
          />
          <Link to={`/surveys?connection=${name}`}>earlier surveys</Link>
          {mayChange && (
            <Button variant="contained" color="primary" onClick={() => setSurveying(true)}>
              Survey {path === '' ? 'all of it' : 'this'}
            </Button>
          )}
        </div>
      </div>
      {surveying && <SurveyForm connection={name} within={path} onClose={() => setSurveying(false)} />}
      {error ? (
        <FaultBox error={error} />
      ) : !data ? (
        <Waiting what={`looking into ${name}`} />
      ) : (
        <div
          className="beside"
          style={{ gridTemplateColumns: shown ? 'minmax(340px, 1fr) minmax(420px, 1.5fr)' : '1fr' }}
        >
          <div className="sheet flush rows">
            <Table
              key={path}
              label={`content of ${name} ${path}`}
              columns={drawn}
              total={found.length}
              row={(i) => found[i]}
              onOpen={open}
              {...(chosen >= 0 ? { current: chosen } : {})}
              empty={<Empty>{text === '' ? 'There is nothing here.' : 'Nothing here is called that.'}</Empty>}
            />
          </div>
          {shown && <First key={shown} connection={name} path={shown} />}
        </div>
      )}
    </>
  )
}

function First({ connection, path }: { connection: string; path: string }): ReactElement {
  const { environment } = useHere()
  const { data, error } = useAnswer(
    routes.firstRows,
    { params: { name: connection }, query: { environment, path } },
    { revalidateOnFocus: false },
  )
  return (
    <div className="stack">
      <div className="sheet flush rows grow">
        <div className="caption">
          <b className="mono">{path.split('/').at(-1)}</b>
          {data && (
            <span className="soft">
              first {numberText(data.rows.length)} rows · {data.note}
            </span>
          )}
        </div>
        {error ? (
          <FaultBox error={error} />
        ) : data ? (
          <DataGrid label={`first rows of ${path}`} columns={data.columns} rows={data.rows} />
        ) : (
          <Waiting what="reading the first rows" />
        )}
      </div>
    </div>
  )
}
