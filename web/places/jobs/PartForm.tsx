import { rosterKinds, type RosterKind } from '../../../core/job/rosters'
import { Button } from '@mui/material'
import { useEffect, useState, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { valueText } from '../../../core/value'
import { call, useAnswer, type ApiFault } from '../../data/api'
import { useHere } from '../../data/session'
import { count, numberText } from '../../look/times'
import { DataGrid } from '../../parts/DataGrid'
import { FaultBox, Waiting } from '../../parts/Fault'
import { FieldInput } from './FieldInput'
import { functions, type Field } from './fields'
import { TypedRows } from './TypedRows'
import type { OutlineAnswer } from './answers'

const kindWords: Readonly<Record<RosterKind, string>> = {
  control: 'rows of a control table',
  query: 'result of a query',
  file: 'rows in a file',
  datasets: 'datasets of the catalog',
  files: 'files of a store',
  range: 'a range, both ends included',
  rows: 'rows typed in',
}

const fresh: Readonly<Record<RosterKind, unknown>> = {
  control: 'a_control_table',
  query: { on: 'a-database', text: 'select 1 as id' },
  file: { store: 'a-store', path: 'list.csv' },
  datasets: { named: '*' },
  files: { store: 'a-store', named: '{kind}_{date:yyyyMMdd}.csv' },
  range: { as: 'year', from: 2015, to: 2025 },
  rows: [{ name: 'first' }],
}

const field = (path: string, label: string, takes: Field['takes']): Field => ({ path, label, takes })
const kindFields: Readonly<Record<RosterKind, readonly Field[]>> = {
  control: [field('control', 'table', { kind: 'template' })],
  query: [
    field('query.on', 'on', { kind: 'template', offer: 'postgres' }),
    field('query.text', 'SQL', { kind: 'template', lines: 4 }),
  ],
  file: [
    field('file.store', 'store', { kind: 'template', offer: 'files' }),
    field('file.path', 'path', { kind: 'template' }),
    field('file.delimiter', 'delimiter', { kind: 'text', placeholder: ',' }),
    field('file.sheet', 'sheet', { kind: 'text', placeholder: 'the first that holds a table' }),
  ],
  datasets: [
    field('datasets.named', 'named', { kind: 'text', placeholder: '* and ? match letters' }),
    field('datasets.connection', 'connection', { kind: 'template', offer: 'postgres' }),
    field('datasets.tag', 'tag', { kind: 'text' }),
  ],
  files: [
    field('files.store', 'store', { kind: 'template', offer: 'files' }),
    field('files.named', 'named', { kind: 'template' }),
    field('files.subfolders', 'subfolders', { kind: 'flag', words: 'in folders below, too' }),
  ],
  range: [
    field('range.as', 'called', { kind: 'text', placeholder: 'value' }),
    field('range.from', 'from', { kind: 'template' }),
    field('range.to', 'to, included', { kind: 'template' }),
    field('range.step', 'by', { kind: 'template' }),
  ],
  rows: [],
}
const commonFields: readonly Field[] = [
  field('where', 'only where', { kind: 'template' }),
  field('sort', 'sorted by', { kind: 'list', placeholder: 'columns; -column for the largest first' }),
  field('key', 'key', { kind: 'list', placeholder: 'columns that name a load' }),
  field('prefix', 'prefix', { kind: 'text', placeholder: 'before the name of each column' }),
  field('exactly_one', 'exactly one', {
    kind: 'flag',
    words: 'one row is meant; any other number stops the run',
  }),
]

interface Props {
  readonly text: string
  readonly part: OutlineAnswer['parts'][number]
  readonly names: readonly string[]
  readonly locked: boolean
  readonly broken: boolean
  readonly onText: (text: string, typed?: boolean) => void
}

/** A part: its title, what it loops over with the rows it gives, how many loads at once. */
export function PartForm({ text, part, names, locked, broken, onText }: Props): ReactElement {
  const path: Path = ['parts', part.index]
  const title = valueAt(text, [...path, 'title'])
  const each = valueAt(text, [...path, 'each']) as { at_once?: number; slices?: boolean } | undefined
  const set = (dotted: string, value: unknown) =>
    onText(setAt(text, [...path, ...dotted.split('.')], value), true)
  return (
    <section className="sheet stack" aria-label="the part" style={{ overflow: 'auto' }} tabIndex={0}>
      <h2 style={{ margin: 0 }}>
        {part.kind === 'once' ? 'A part that runs once' : 'A part for each row of a roster'}
      </h2>
      <div className="form-rows" style={{ flex: 'none' }}>
        <span className="label">title</span>
        <input
          aria-label="title of the part"
          value={String(title ?? '')}
          disabled={locked}
          onChange={(event) => set('title', event.target.value || undefined)}
        />
        {part.kind === 'each' && (
          <>
            <span className="label">at once</span>
            <span className="line">
              <FieldInput
                label="loads at once"
                takes={{ kind: 'number', least: 1 }}
                value={each?.at_once ?? 4}
                locked={locked}
                names={[]}
                texts={[]}
                onChange={(value) => set('each.at_once', value)}
              />
              <FieldInput
                label="slices"
                takes={{ kind: 'flag', words: 'for each slice, too', usual: true }}
                value={each?.slices}
                locked={locked}
                names={[]}
                texts={[]}
                onChange={(value) => set('each.slices', value)}
              />
            </span>
          </>
        )}
      </div>
      {part.kind === 'each' && (
        <>
          <RosterForm
            text={text}
            path={[...path, 'each', 'roster']}
            depth={0}
            names={names}
            locked={locked}
            onText={onText}
          />
          <Preview text={text} part={part.index} broken={broken} />
        </>
      )}
    </section>
  )
}

/** What a roster is of, and below it the one inside it. */
function RosterForm({
  text,
  path,
  depth,
  names,
  locked,
  onText,
}: {
  text: string
  path: Path
  depth: number
  names: readonly string[]
  locked: boolean
  onText: (text: string, typed?: boolean) => void
}): ReactElement {
  const { environment } = useHere()
  const controls = useAnswer(routes.controlTables, { query: { environment } })
  const connections = useAnswer(routes.connections, { query: { environment } })
  const raw = (valueAt(text, path) ?? {}) as Record<string, unknown>
  const kind = rosterKinds.find((one) => raw[one] !== undefined) ?? 'rows'
  const at = (dotted: string) =>
    dotted
      .split('.')
      .reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], raw)
  const set = (dotted: string, value: unknown) =>
    onText(setAt(text, [...path, ...dotted.split('.')], plain(dotted, value)), true)
  const pick = (next: RosterKind) => {
    // filter, order and key name columns of the old source
    const kept = { [next]: fresh[next], ...(raw.inner === undefined ? {} : { inner: raw.inner }) }
    onText(setAt(text, path, kept))
  }
  const texts = ({ path: of, takes }: Field): string[] =>
    of === 'control'
      ? (controls.data ?? []).map(({ name }) => name)
      : takes.kind === 'template' && takes.offer
        ? (connections.data ?? []).filter((one) => one.kind === takes.offer).map(({ name }) => name)
        : []
  return (
    <div style={{ marginLeft: depth * 18, flex: 'none' }}>
      <div className="form-rows">
        <span className="label">{depth === 0 ? 'each of' : 'and for each'}</span>
        <select
          aria-label={depth === 0 ? 'kind of roster' : 'kind of inner roster'}
          value={kind}
          disabled={locked}
          onChange={(event) => pick(event.target.value as RosterKind)}
        >
          {rosterKinds.map((one) => (
            <option key={one} value={one}>
              {kindWords[one]}
            </option>
          ))}
        </select>
        {[...kindFields[kind], ...commonFields].map((one) => (
          <span key={one.path} style={{ display: 'contents' }}>
            <span className="label">{one.label}</span>
            <FieldInput
              label={`roster ${one.label}`}
              takes={one.takes}
              value={at(one.path)}
              locked={locked}
              names={[...names, ...functions]}
              texts={texts(one)}
              onChange={(value) => set(one.path, value)}
            />
          </span>
        ))}
      </div>
      {kind === 'rows' && (
        <TypedRows
          rows={Array.isArray(raw.rows) ? (raw.rows as never[]) : []}
          locked={locked}
          onChange={(rows) => onText(setAt(text, [...path, 'rows'], rows), true)}
        />
      )}
      {raw.inner === undefined ? (
        !locked && (
          <Button
            style={{ marginTop: 8 }}
            onClick={() => onText(setAt(text, [...path, 'inner'], { files: fresh.files }))}
          >
            Loop over something for each of these rows
          </Button>
        )
      ) : (
        <div style={{ marginTop: 10 }}>
          <RosterForm
            text={text}
            path={[...path, 'inner']}
            depth={depth + 1}
            names={names}
            locked={locked}
            onText={onText}
          />
          {!locked && (
            <Button
              style={{ margin: '8px 0 0 18px' }}
              onClick={() => onText(setAt(text, [...path, 'inner'], undefined))}
            >
              Without the inner roster
            </Button>
          )}
        </div>
      )}
    </div>
  )
}

/** Ends of a range that are numbers are written as such; an emptied text goes. */
function plain(path: string, value: unknown): unknown {
  if (value === '')
    return path === 'control' ||
      path.startsWith('query') ||
      path.startsWith('files') ||
      path.startsWith('file')
      ? value
      : undefined
  return path.startsWith('range.') &&
    path !== 'range.as' &&
    typeof value === 'string' &&
    /^-?\d+(\.\d+)?$/.test(value)
    ? Number(value)
    : value
}

type Found = Answer<typeof routes.previewRoster>

/** The rows it gives, live. */
function Preview({ text, part, broken }: { text: string; part: number; broken: boolean }): ReactElement {
  const { environment } = useHere()
  const [search, setSearch] = useState('')
  const [asked, setAsked] = useState(text)
  useEffect(() => {
    if (broken) return
    const timer = setTimeout(() => setAsked(text), 150)
    return () => clearTimeout(timer)
  }, [text, broken])
  const { data, error } = useSWR<Found, ApiFault>(
    `roster ${environment} ${part} ${search} ${asked}`,
    () => call(routes.previewRoster, { body: { text: asked, environment, part, search, limit: 500 } }),
    { keepPreviousData: true, revalidateOnFocus: false, shouldRetryOnError: false },
  )
  if (error) return <FaultBox error={error} />
  if (!data) return <Waiting what="reading the roster" />
  const bad = data.findings.filter(({ level }) => level !== 'note')
  return (
    <div className="stack" style={{ flex: '1 0 240px', minHeight: 240 }}>
      <div className="line">
        <b>{count(data.total, 'row')}</b>
        <span className="soft">
          {data.before !== data.total && `of ${numberText(data.before)}, `}
          key {data.key.join(', ') || 'none'}
          {data.found !== data.total && ` · ${numberText(data.found)} found`}
          {data.found > data.rows.length && ` · the first ${numberText(data.rows.length)} shown`}
        </span>
        <input
          aria-label="find in the roster"
          placeholder="find rows"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          style={{ marginLeft: 'auto', font: 'inherit', padding: '2px 8px' }}
        />
      </div>
      {bad.map(({ code, level, message }) => (
        <div key={code + message} className={level === 'stop' ? 'bad' : 'look'}>
          <b>{level}</b> {message}
        </div>
      ))}
      {data.columns.length > 0 && (
        <DataGrid
          label="rows of the roster"
          columns={data.columns.map(({ name, type }) => ({ name, type }))}
          rows={data.rows.map(({ row }) =>
            data.columns.map(({ name }) =>
              row[name] === null || row[name] === undefined ? null : valueText(row[name]),
            ),
          )}
        />
      )}
    </div>
  )
}
