import { Tick } from '../../kit/controls'
import { Button, MenuItem, TextField } from '@mui/material'
import { useCallback, useDeferredValue, useEffect, useRef, useState, type ReactElement } from 'react'
import { Link, useNavigate, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { usePages } from '../../data/pages'
import { useHere, useMayChange } from '../../data/session'
import { bytesText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { Table, type TableColumn } from '../../kit/Table'

type Brief = Answer<typeof routes.datasets>['datasets'][number]

const flags = {
  unnamed: 'with unnamed columns',
  drifted: 'drifted: something waits',
  gone: 'gone from their place',
  idle: 'not touched for …',
  'no-key': 'without a key',
  'no-owner': 'without an owner',
} as const
type Flag = keyof typeof flags
const isFlag = (text: string): text is Flag => Object.hasOwn(flags, text)

/** All datasets: search, filter, pick. */
export default function Catalog(): ReactElement {
  const { environment } = useHere()
  const mayChange = useMayChange()
  const navigate = useNavigate()
  const [search, setSearch] = useSearchParams()
  const [text, setText] = useState(search.get('search') ?? '')
  const wanted = useDeferredValue(text)
  const field = useRef<HTMLInputElement>(null)
  const [picked, setPicked] = useState<ReadonlyMap<number, Brief>>(new Map())
  const [connection, tag, owner] = ['connection', 'tag', 'owner'].map((name) => search.get(name) ?? '') as [string, string, string] // prettier-ignore
  const given = search.get('flag') ?? ''
  const flag: Flag | '' = isFlag(given) ? given : ''
  const days = Number(search.get('days') ?? 7)
  const set = useCallback(
    (name: string, value: string) =>
      setSearch(
        (now) => {
          const next = new URLSearchParams(now)
          if (value) next.set(name, value)
          else next.delete(name)
          return next
        },
        { replace: true },
      ),
    [setSearch],
  )
  useEffect(() => set('search', wanted), [set, wanted])
  useEffect(() => setPicked(new Map()), [environment])
  useKeys({ f: () => field.current?.focus() })
  const facets = useAnswer(routes.catalogFacets, { query: { environment } }, { keepPreviousData: true })
  const query = { environment, search: wanted, connection, tag, owner, days, ...(flag ? { flag } : {}) }
  const key = JSON.stringify(query)
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, datasets } = await call(routes.datasets, {
        query: { ...(JSON.parse(key) as typeof query), offset, limit },
      })
      return { total, rows: datasets }
    },
    [key],
  )
  const pages = usePages(`/api/datasets?${key}`, fetchPage)
  const filtered = text !== '' || connection !== '' || tag !== '' || owner !== '' || flag !== ''
  const pick = (row: Brief) => {
    const next = new Map(picked)
    if (!next.delete(row.id)) next.set(row.id, row)
    setPicked(next)
  }
  const columns: readonly TableColumn<Brief>[] = [
    { id: 'pick', title: '', width: '30px', cell: (row) => <Tick label={`pick ${row.name}`} checked={picked.has(row.id)} onChange={() => pick(row)} /> },
    { id: 'name', title: 'dataset', width: 'minmax(190px, 1.8fr)', mono: true, cell: ({ id, name }) => <Link to={`/catalog/${id}`}>{name}</Link>, hint: ({ name, locator }) => `${name}: ${locator}` },
    { id: 'state', title: '', width: '124px', cell: ({ drifted, unnamed, goneAt }) => goneAt ? <span className="bad">gone</span> : drifted ? <span className="look">something waits</span> : unnamed > 0 ? <span className="look">{unnamed} unnamed</span> : '' },
    { id: 'connection', title: 'connection', width: 'minmax(86px, 0.7fr)', cell: ({ connection: of }) => of },
    { id: 'kind', title: 'kind', width: '60px', cell: ({ kind }) => <span className="soft">{kind}</span> },
    { id: 'columns', title: 'columns', width: '66px', number: true, cell: ({ columns: n }) => n },
    { id: 'rows', title: 'rows', width: '92px', number: true, cell: ({ rows, estimated }) => (rows === null ? '' : `${estimated ? '≈ ' : ''}${numberText(rows)}`) },
    { id: 'files', title: 'files', width: '58px', number: true, cell: ({ files }) => (files === null ? '' : numberText(files)) },
    { id: 'bytes', title: 'size', width: '72px', number: true, cell: ({ bytes }) => (bytes === null ? '' : bytesText(bytes)) },
    { id: 'touched', title: 'last used', width: '100px', cell: ({ touchedAt }) => (touchedAt ? timeText(touchedAt) : <span className="soft">never</span>) },
    { id: 'tags', title: 'tags', width: 'minmax(60px, 0.7fr)', cell: ({ tags }) => tags.join(', ') },
  ] // prettier-ignore
  const select = (
    name: string,
    label: string,
    value: string,
    options: readonly { name: string; words?: string; count?: number }[],
  ) => (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => set(name, event.target.value)}
      sx={{ minWidth: 112 }}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      <MenuItem value="">all</MenuItem>
      {options.map(({ name: of, words, count }) => (
        <MenuItem key={of} value={of}>
          {words ?? of}
          {count !== undefined && <span className="soft">&nbsp;{numberText(count)}</span>}
        </MenuItem>
      ))}
    </TextField>
  )
  const counts = new Map(facets.data?.flags.map(({ name, count }) => [name, count]))
  return (
    <>
      <div className="head">
        <h1>Catalog</h1>
        <span className="soft">
          {pages.total === undefined
            ? ''
            : `${numberText(pages.total)} ${pages.total === 1 ? 'dataset' : 'datasets'} in ${environment}`}
        </span>
        <div className="actions">
          <Link to="/surveys">surveys</Link>
          <a href={`/api/catalog.csv?environment=${environment}`} download>
            as CSV
          </a>
        </div>
      </div>
      <div className="line" style={{ marginBottom: 10, flexWrap: 'wrap' }}>
        <TextField
          placeholder="name, column, tag, owner …"
          value={text}
          onChange={(event) => setText(event.target.value)}
          inputRef={field}
          sx={{ flex: 1, minWidth: 200 }}
          slotProps={{ htmlInput: { 'aria-label': 'search the catalog', 'aria-keyshortcuts': 'f' } }}
        />
        {select('connection', 'Connection', connection, facets.data?.connections ?? [])}
        {(facets.data?.tags.length ?? 0) > 0 && select('tag', 'Tag', tag, facets.data?.tags ?? [])}
        {(facets.data?.owners.length ?? 0) > 0 && select('owner', 'Owner', owner, facets.data?.owners ?? [])}
        {select(
          'flag',
          'Only those',
          flag,
          Object.entries(flags).map(([name, words]) => ({
            name,
            words,
            ...(counts.has(name) ? { count: counts.get(name)! } : {}),
          })),
        )}
        {flag === 'idle' && (
          <TextField
            label="Days"
            value={days}
            onChange={(event) => set('days', event.target.value.replace(/\D/g, '') || '1')}
            sx={{ width: 64 }}
          />
        )}
      </div>
      {pages.error && <FaultBox error={pages.error} />}
      {picked.size > 0 && (
        <div className="line picked" role="status">
          <b>{picked.size} picked</b>
          <span className="soft mono cut">{[...picked.values()].map(({ name }) => name).join(', ')}</span>
          <Button onClick={() => setPicked(new Map())}>Pick none</Button>
          {mayChange && (
            <Button
              variant="contained"
              color="primary"
              onClick={() => void navigate(`/catalog/job?of=${[...picked.keys()].join(',')}`)}
            >
              One job for {picked.size === 1 ? 'it' : `these ${picked.size}`}
            </Button>
          )}
        </div>
      )}
      <div className="sheet flush grow rows">
        <Table
          label="datasets"
          columns={columns}
          total={pages.total ?? 0}
          row={pages.row}
          onSeen={pages.onSeen}
          onOpen={({ id }) => void navigate(`/catalog/${id}`)}
          onPick={pick}
          faded={({ goneAt }) => goneAt !== null}
          empty={
            pages.total === 0 && (
              <Empty>
                {filtered ? (
                  <>
                    No dataset fits.{' '}
                    <Button
                      onClick={() => {
                        setText('')
                        setSearch({})
                      }}
                    >
                      Show all
                    </Button>
                  </>
                ) : (
                  <>
                    The catalog holds every table and every folder of like files that is known in{' '}
                    {environment}. It is filled by surveys: open one of the{' '}
                    <Link to="/connections">connections</Link>, look what is in it, and survey it.
                  </>
                )}
              </Empty>
            )
          }
        />
      </div>
    </>
  )
}
