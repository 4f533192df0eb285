import { Views } from '../../kit/Views'
import { connectorOf } from '../../../core/connection/connection'
import { FilePick, rowEndings } from '../../kit/FilePick'
import { Flag } from '../../kit/controls'
import { Button, MenuItem, TextField } from '@mui/material'
import { useMemo, useState, type FormEvent, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { readIncoming } from '../../../core/control/bringIn'
import { textTable } from '../../../core/files/textTable'
import type { Column, Row, Table } from '../../../core/value'
import { ControlColumns } from './ControlColumns'
import { call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { count } from '../../look/times'
import { FaultBox } from '../../kit/Fault'

const ways = ['from scratch', 'from CSV or JSON', 'from the catalog', 'adopt a table'] as const
type Way = (typeof ways)[number]

const first: Column[] = [
  { name: 'feed', type: 'text' },
  { name: 'connection', type: 'text' },
  { name: 'target', type: 'text' },
  { name: 'active', type: 'boolean' },
]

/** A new control table: columns by hand, from a file, from datasets of the catalog; or a table that stands already. */
export function NewControl({ onClose }: { onClose: () => void }): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [way, setWay] = useState<Way>('from scratch')
  const [name, setName] = useState('')
  const [title, setTitle] = useState('')
  const [columns, setColumns] = useState<readonly Column[]>(first)
  const [key, setKey] = useState<readonly string[]>(['feed'])
  const [rows, setRows] = useState<readonly Row[]>([])
  const [place, setPlace] = useState({ connection: '', schema: '', table: '' })
  const [fault, setFault] = useState<Error>()
  const take = (table: Table) => {
    setColumns(table.columns)
    setRows(table.rows)
    setKey(table.key)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    setFault(undefined)
    const made =
      way === 'adopt a table'
        ? call(routes.adoptControl, { query: { environment }, body: { name, title, ...place } })
        : call(routes.createControl, {
            body: { name, title, columns: [...columns], key: [...key], rows: [...rows], rules: {} },
          })
    made.then(() => navigate(`/control/${name}`), setFault)
  }
  const label = { inputLabel: { shrink: true } }
  return (
    <form
      className="sheet stack"
      onSubmit={submit}
      aria-label="a new control table"
      style={{ flex: 'none', marginBottom: 12 }}
    >
      <Views
        label="how it is made"
        value={way}
        views={ways.map((one) => [one, one] as const)}
        onChange={setWay}
      />
      <div className="line" style={{ flexWrap: 'wrap', rowGap: 12, paddingTop: 4 }}>
        <TextField
          label="name"
          required
          autoFocus
          value={name}
          onChange={(event) => setName(event.target.value)}
          placeholder="feed_control"
          sx={{ width: 190 }}
          slotProps={label}
        />
        <TextField
          label="what it says"
          required
          value={title}
          onChange={(event) => setTitle(event.target.value)}
          placeholder="What the districts send"
          sx={{ width: 320 }}
          slotProps={label}
        />
      </div>
      {way === 'from CSV or JSON' && <FromText onTake={take} />}
      {way === 'from the catalog' && <FromCatalog onTake={take} />}
      {way === 'adopt a table' ? (
        <Adopt place={place} onPlace={setPlace} />
      ) : (
        <ControlColumns
          columns={columns}
          keyColumns={key}
          fixed={way !== 'from scratch'}
          onChange={setColumns}
          onKey={setKey}
        />
      )}
      {fault && <FaultBox error={fault} />}
      <div className="line">
        <Button
          type="submit"
          variant="contained"
          color="primary"
          disabled={
            name === '' ||
            title === '' ||
            (way !== 'adopt a table' && (columns.length === 0 || key.length === 0))
          }
        >
          {way === 'adopt a table'
            ? 'Adopt it'
            : rows.length > 0 && way !== 'from scratch'
              ? `Make it with ${count(rows.length, 'row')}`
              : 'Make it'}
        </Button>
        <Button onClick={onClose}>Close</Button>
        <span className="soft">
          {way === 'adopt a table'
            ? 'the table stays where it is; not a row of it is changed'
            : 'a real table of the schema control, so that SQL can read and change it too'}
        </span>
      </div>
    </form>
  )
}

function FromText({ onTake }: { onTake: (table: Table) => void }): ReactElement {
  const [text, setText] = useState('')
  const [fault, setFault] = useState<string>()
  const read = (next: string) => {
    setText(next)
    setFault(undefined)
    if (next.trim() === '') return
    try {
      const { columns, rows } = readIncoming(next)
      onTake(textTable(columns, rows))
    } catch (error) {
      setFault((error as Error).message)
    }
  }
  return (
    <div>
      <TextField
        label="paste CSV or JSON, or pick a file; the first line names the columns"
        value={text}
        onChange={(event) => read(event.target.value)}
        multiline
        rows={4}
        sx={{ width: 620 }}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { className: 'mono' } }}
      />
      <div>
        <FilePick
          label="file with the rows"
          endings={rowEndings}
          onFiles={([file]) => void file?.text().then(read)}
        />
        {fault && <b className="bad">{fault}</b>}
      </div>
    </div>
  )
}

/** Rows for datasets whose names match: one a row, with where it is. */
function FromCatalog({ onTake }: { onTake: (table: Table) => void }): ReactElement {
  const { environment } = useHere()
  const [search, setSearch] = useState('')
  const { data } = useAnswer(
    routes.datasets,
    { query: { environment, search, limit: 1000 } },
    { keepPreviousData: true },
  )
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set())
  const list = useMemo(() => data?.datasets ?? [], [data])
  const pick = (ids: readonly number[], on: boolean) => {
    const next = new Set(picked)
    for (const id of ids)
      if (on) next.add(id)
      else next.delete(id)
    setPicked(next)
    const rows = list
      .filter(({ id }) => next.has(id))
      .map(({ name, connection, locator, kind }) => ({
        dataset: name,
        connection,
        place: locator,
        kind,
        target: name.replace(/\W+/g, '_').toLowerCase(),
        active: true,
      }))
    onTake({
      columns: [
        ...['dataset', 'connection', 'place', 'kind', 'target'].map((name): Column => ({
          name,
          type: 'text',
        })),
        { name: 'active', type: 'boolean' },
      ],
      key: ['dataset'],
      rows,
    })
  }
  return (
    <div>
      <div className="line">
        <TextField
          label="find datasets"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          sx={{ width: 240 }}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <Button
          onClick={() =>
            pick(
              list.map(({ id }) => id),
              true,
            )
          }
        >
          Pick all {list.length}
        </Button>
        <span className="soft">{count(picked.size, 'dataset')} picked</span>
      </div>
      <div
        style={{ maxHeight: 150, overflow: 'auto', marginTop: 6, columns: 3 }}
        tabIndex={0}
        role="region"
        aria-label="datasets"
      >
        {list.map(({ id, name, connection }) => (
          <Flag
            key={id}
            label={name}
            checked={picked.has(id)}
            onChange={(on) => pick([id], on)}
            words={
              <>
                <span className="mono">{name}</span> <span className="soft">{connection}</span>
              </>
            }
          />
        ))}
      </div>
    </div>
  )
}

function Adopt({
  place,
  onPlace,
}: {
  place: { connection: string; schema: string; table: string }
  onPlace: (place: { connection: string; schema: string; table: string }) => void
}): ReactElement {
  const { environment } = useHere()
  const connections = useAnswer(routes.connections, { query: { environment } })
  const databases = (connections.data ?? []).filter(({ kind }) => connectorOf(kind).holds === 'tables')
  const content = (path: string) =>
    place.connection === '' || (path !== '' && place.schema === '')
      ? null
      : { params: { name: place.connection }, query: { environment, path } }
  const schemas = useAnswer(routes.browse, content(''))
  const tables = useAnswer(routes.browse, content(place.schema || ' '))
  return (
    <div className="line" style={{ flexWrap: 'wrap', rowGap: 12 }}>
      <PickOne
        label="connection"
        list={connections.data && databases}
        value={place.connection}
        onPick={(connection) => onPlace({ connection, schema: '', table: '' })}
      />
      <PickOne
        label="schema"
        list={schemas.data}
        value={place.schema}
        onPick={(schema) => onPlace({ ...place, schema, table: '' })}
      />
      <PickOne
        label="table, with a primary key"
        list={tables.data}
        value={place.table}
        onPick={(table) => onPlace({ ...place, table })}
      />
      {(schemas.error ?? tables.error) && <FaultBox error={(schemas.error ?? tables.error)!} />}
    </div>
  )
}

/** One of some names; it cannot be picked while they are not known. */
function PickOne({
  label,
  list,
  value,
  onPick,
}: {
  label: string
  list: readonly { readonly name: string }[] | undefined
  value: string
  onPick: (name: string) => void
}): ReactElement {
  return (
    <TextField
      select
      label={label}
      value={list ? value : ''}
      disabled={!list}
      onChange={(event) => onPick(event.target.value)}
      sx={{ width: 210 }}
      slotProps={{ inputLabel: { shrink: true } }}
    >
      {(list ?? []).map(({ name }) => (
        <MenuItem key={name} value={name}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  )
}
