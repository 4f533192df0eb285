import { connectorOf } from '../../../core/connection/connection'
import { Button, FormControlLabel, Checkbox, MenuItem, TextField } from '@mui/material'
import { useDeferredValue, useMemo, useState, type FormEvent, type ReactElement } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import useSWR from 'swr'
import type { Answer, Body } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { valueText } from '../../../core/value'
import { ApiFault, call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { count } from '../../look/times'
import { DataGrid } from '../../kit/DataGrid'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'

type Ask = Omit<Body<typeof routes.makeOneJob>, 'datasets'>
type Draft = Answer<typeof routes.draftOneJob>

const writes = { 'replace-all': 'replace all rows', append: 'append', upsert: 'upsert by the key' } as const

/** One control table and one job for the datasets that were picked: seen whole before it is made. */
export default function OneJob(): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [search] = useSearchParams()
  const datasets = useMemo(
    () =>
      (search.get('of') ?? '')
        .split(',')
        .filter((id) => /^\d+$/.test(id))
        .map(Number),
    [search],
  )
  const connections = useAnswer(routes.connections, { query: { environment } })
  const databases = (connections.data ?? []).filter(({ kind }) => connectorOf(kind).holds === 'tables')
  const [given, setGiven] = useState<Partial<Ask>>({})
  const [fault, setFault] = useState<Error>()
  const ask: Ask = {
    job: 'bring-in',
    title: 'Bring in',
    control: (given.job ?? 'bring-in').replaceAll('-', '_') + '_control',
    connection: databases.find(({ name }) => name === 'warehouse')?.name ?? databases[0]?.name ?? '',
    schema: 'raw',
    write: 'replace-all',
    atOnce: 4,
    trim: false,
    ...given,
  }
  const wanted = useDeferredValue(
    ask.connection !== '' && datasets.length > 0 ? JSON.stringify({ datasets, ...ask }) : null,
  )
  const draft = useSWR<Draft, ApiFault>(
    wanted === null ? null : `draft ${wanted}`,
    () => call(routes.draftOneJob, { body: JSON.parse(wanted!) as Body<typeof routes.draftOneJob> }),
    { keepPreviousData: true, revalidateOnFocus: false },
  )
  if (datasets.length === 0)
    return (
      <Empty>
        Pick datasets in the <Link to="/catalog">catalog</Link> first.
      </Empty>
    )
  const set = <K extends keyof Ask>(name: K, value: Ask[K]) =>
    setGiven((before) => ({ ...before, [name]: value }))
  const make = (event: FormEvent) => {
    event.preventDefault()
    call(routes.makeOneJob, { body: { datasets, ...ask } }).then(
      () => void navigate(`/jobs/${ask.job}`),
      setFault,
    )
  }
  const shown = fault ?? draft.error
  const wrong = shown instanceof ApiFault ? shown.fault.where.path : undefined
  const field = (name: 'job' | 'title' | 'control' | 'schema', label: string) => (
    <TextField
      label={label}
      value={ask[name]}
      error={wrong === name}
      onChange={(event) => {
        setFault(undefined)
        set(name, event.target.value)
      }}
      slotProps={{ htmlInput: name === 'title' ? {} : { className: 'mono' } }}
    />
  )
  const control = draft.data?.control
  return (
    <>
      <div className="head">
        <h1>One job for {count(datasets.length, 'dataset')}</h1>
        <span className="soft">
          a control table with a row for each, and a job that loops over it; a further source is a new row
        </span>
      </div>
      <div className="beside" style={{ gridTemplateColumns: '300px minmax(0, 1fr)' }}>
        <form onSubmit={make} className="sheet stack" style={{ overflowY: 'auto' }}>
          {field('title', 'What the job is called')}
          {field('job', 'Its name')}
          {field('control', 'Name of its control table')}
          <TextField
            select
            label="Into"
            value={ask.connection}
            onChange={(event) => set('connection', event.target.value)}
          >
            {databases.map(({ name }) => (
              <MenuItem key={name} value={name}>
                {name}
              </MenuItem>
            ))}
          </TextField>
          {field('schema', 'Schema of the new tables')}
          <TextField
            select
            label="Write"
            value={ask.write}
            onChange={(event) => set('write', event.target.value as Ask['write'])}
          >
            {Object.entries(writes).map(([value, words]) => (
              <MenuItem key={value} value={value}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={ask.trim ?? false}
                onChange={(event) => set('trim', event.target.checked)}
              />
            }
            label="Trim every text"
            slotProps={{ typography: { variant: 'body2' } }}
          />
          {shown && <FaultBox error={shown} />}
          <div className="line">
            <Button
              type="submit"
              variant="contained"
              color="primary"
              disabled={!control || control.rows.length === 0}
            >
              Make it
            </Button>
            <Button component={Link} to="/catalog">
              Leave it
            </Button>
          </div>
        </form>
        <div className="stack" style={{ overflow: 'hidden' }}>
          {!control || !draft.data ? (
            <Waiting what="working it out" />
          ) : (
            <>
              {draft.data.left.length > 0 && (
                <div className="fault" role="status">
                  {count(draft.data.left.length, 'dataset')} cannot be loaded this way:
                  <ul style={{ margin: '4px 0 0', paddingLeft: 18 }}>
                    {draft.data.left.map(({ name, reason }) => (
                      <li key={name}>
                        <span className="mono">{name}</span>: {reason}
                      </li>
                    ))}
                  </ul>
                </div>
              )}
              <div className="sheet flush rows" style={{ flex: '1 1 45%' }}>
                <div className="caption">
                  <b className="mono">{ask.control}</b>
                  <span className="soft">{count(control.rows.length, 'row')}, each a load</span>
                </div>
                <DataGrid
                  label="control rows"
                  columns={control.columns.map(({ name }) => ({ name }))}
                  rows={control.rows.map((row) =>
                    control.columns.map(({ name }) =>
                      row[name] === null ? null : valueText(row[name] ?? null),
                    ),
                  )}
                />
              </div>
              <pre className="code mono" style={{ flex: '1 1 55%', overflow: 'auto' }} aria-label="the job">
                {draft.data.document}
              </pre>
            </>
          )}
        </div>
      </div>
    </>
  )
}
