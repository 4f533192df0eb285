import { Views } from '../../kit/Views'
import type { DatasetData } from './answers'
import { Button, Menu, MenuItem } from '@mui/material'
import { lazy, Suspense, useRef, useState, type ChangeEvent, type ReactElement } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import { routes } from '../../../contract/routes'
import { formatText } from '../../../core/catalog/found'
import { call, useAnswer } from '../../data/api'
import { useMayChange } from '../../data/session'
import { bytesText, count, numberText, timeText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { DataGrid } from '../../kit/DataGrid'
import { ChangeLines } from './SchemaColumns'
import { Columns } from './Columns'
import { Facts } from './Facts'
import { Files } from './Files'
import { Slices } from './Slices'
import { SchemaVersions } from './SchemaVersions'

const Profile = lazy(() => import('./Profile'))

const views = {
  columns: 'columns',
  slices: 'slices',
  profile: 'profile',
  rows: 'rows',
  files: 'files',
  versions: 'versions',
} as const
type View = keyof typeof views

/** One dataset: its schema, what is in it, who reads and writes it. */
export default function Dataset(): ReactElement {
  const id = Number(useParams().id)
  const mayChange = useMayChange()
  const [search, setSearch] = useSearchParams()
  const [fault, setFault] = useState<Error>()
  const [said, setSaid] = useState<readonly string[]>([])
  const { data, error, mutate } = useAnswer(routes.dataset, { params: { id } }, {
    refreshInterval: (now) => (now?.profile && ['waiting', 'running'].includes(now.profile.state) ? 600 : 0),
  }) // prettier-ignore
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the dataset" />
  const wanted = search.get('view') ?? 'columns'
  const view: View = wanted in views ? (wanted as View) : 'columns'
  const counts: Partial<Record<View, string>> = {
    columns: numberText(data.columns.length),
    files: numberText(data.files ?? 0),
    versions: numberText(data.versions.length),
  }
  const run = (work: Promise<unknown>) =>
    work.then(() => {
      setFault(undefined)
      return mutate()
    }, setFault)
  return (
    <>
      <div className="head">
        <h1 className="mono">{data.name}</h1>
        <span className="soft">
          {data.kind} in <Link to={`/connections/${data.connection}`}>{data.connection}</Link> ·{' '}
          <span className="mono">{data.locator}</span>
          {data.format && ` · ${formatText(data.format)}`}
        </span>
        <div className="actions">
          <SchemaMenu
            id={id}
            name={data.name}
            onTaken={(left) => {
              setSaid(left)
              void mutate()
            }}
            onFault={setFault}
          />
        </div>
      </div>
      {fault && <FaultBox error={fault} />}
      {said.length > 0 && (
        <div className="fault" role="status">
          Taken in, but not all of it could be used: {said.join('; ')}
        </div>
      )}
      {data.goneAt && (
        <div className="fault" role="status">
          It was not found any more at {timeText(data.goneAt)}. What is known of it is kept; a survey that
          finds it again brings it back.
        </div>
      )}
      {data.waits && (
        <div className="sheet waits" role="status" aria-label="what waits">
          <div className="line">
            <b>The source is not as it is known.</b>
            <span className="soft">found by the survey of {timeText(data.surveyedAt)}</span>
            {mayChange && (
              <Button
                style={{ marginLeft: 'auto' }}
                variant="contained"
                color="primary"
                onClick={() => void run(call(routes.acceptDrift, { params: { id } }))}
              >
                Take it in as version {data.version + 1}
              </Button>
            )}
          </div>
          <ChangeLines change={data.waits} />
        </div>
      )}
      <div className="beside" style={{ gridTemplateColumns: 'minmax(0, 1fr) 290px' }}>
        <div className="stack">
          <div className="line">
            <Views
              label="what to show"
              value={view}
              views={(Object.keys(views) as View[])
                .filter(
                  (name) =>
                    (name !== 'files' || data.files !== null) &&
                    (name !== 'slices' || data.days.direction === 'write'),
                )
                .map((name) => [name, `${views[name]} ${counts[name] ?? ''}`] as const)}
              onChange={(name) => setSearch(name === 'columns' ? {} : { view: name }, { replace: true })}
            />
            <span className="soft" style={{ marginLeft: 'auto' }}>
              {data.rows !== null && `${data.estimated ? '≈ ' : ''}${count(data.rows, 'row')}`}
              {data.bytes !== null && ` · ${bytesText(data.bytes)}`}
            </span>
          </div>
          {view === 'columns' && (
            <Columns
              key={data.version}
              data={data}
              onSave={(edit) => run(call(routes.editDataset, { params: { id }, body: edit }))}
            />
          )}
          {view === 'slices' && <Slices id={id} />}
          {view === 'profile' && (
            <Suspense fallback={<Waiting what="opening" />}>
              <Profile
                data={data}
                onAsk={(exact) => void run(call(routes.profileDataset, { params: { id }, body: { exact } }))}
              />
            </Suspense>
          )}
          {view === 'rows' && <Sample id={id} data={data} />}
          {view === 'files' && <Files id={id} />}
          {view === 'versions' && <SchemaVersions data={data} />}
        </div>
        <Facts
          key={data.name}
          data={data}
          onSave={(edit) => run(call(routes.editDataset, { params: { id }, body: edit }))}
        />
      </div>
    </>
  )
}

function Sample({ id, data }: { id: number; data: DatasetData }): ReactElement {
  const sample = useAnswer(
    routes.datasetRows,
    { params: { id }, query: { limit: 100 } },
    { revalidateOnFocus: false },
  )
  if (sample.error) return <FaultBox error={sample.error} />
  if (!sample.data) return <Waiting what="reading some rows" />
  const types = new Map(
    data.columns.map(({ name, type }) => [
      name,
      type === 'integer' ? 'integer' : type === 'decimal' || type === 'number' ? 'numeric' : type,
    ]),
  )
  return (
    <div className="sheet flush rows grow">
      <DataGrid
        label="sample rows"
        columns={sample.data.columns.map((name) => ({ name, type: types.get(name) ?? 'text' }))}
        rows={sample.data.rows}
      />
    </div>
  )
}

/** Table Schema, out and in. */
function SchemaMenu({
  id,
  name,
  onTaken,
  onFault,
}: {
  id: number
  name: string
  onTaken: (left: readonly string[]) => void
  onFault: (fault: Error) => void
}): ReactElement {
  const mayChange = useMayChange()
  const [anchor, setAnchor] = useState<HTMLElement | null>(null)
  const file = useRef<HTMLInputElement>(null)
  const take = async (event: ChangeEvent<HTMLInputElement>) => {
    const [given] = event.target.files ?? []
    event.target.value = ''
    if (!given) return
    try {
      const schema = JSON.parse(await given.text())
      const { left } = await call(routes.takeTableSchema, { params: { id }, body: schema })
      onTaken(left)
    } catch (error) {
      onFault(
        error instanceof SyntaxError
          ? new Error(`${given.name} is no JSON: ${error.message}`)
          : (error as Error),
      )
    }
  }
  return (
    <>
      <Button aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        Table Schema
      </Button>
      <input
        ref={file}
        type="file"
        accept=".json,application/json"
        hidden
        onChange={(event) => void take(event)}
      />
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          component="a"
          href={`/api/datasets/${id}/table-schema`}
          download={`${name}.schema.json`}
          onClick={() => setAnchor(null)}
        >
          take it out
        </MenuItem>
        {mayChange && (
          <MenuItem
            onClick={() => {
              setAnchor(null)
              file.current?.click()
            }}
          >
            bring one in: names, types, descriptions, key
          </MenuItem>
        )}
      </Menu>
    </>
  )
}
