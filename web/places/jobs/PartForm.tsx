import { rosters, rosterSchema } from '../../../core/job/rosters'
import { eachSchema, partOrderSchema } from '../../../core/job/document'
import { Button } from '@mui/material'
import { useEffect, useMemo, useState, type ReactElement } from 'react'
import useSWR from 'swr'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { valueText } from '../../../core/value'
import { call, type ApiFault } from '../../data/api'
import { useHere } from '../../data/session'
import { count, numberText } from '../../look/times'
import { DataGrid } from '../../kit/DataGrid'
import { FaultBox, Waiting } from '../../kit/Fault'
import { TextInput } from '../../kit/controls'
import type { FieldFrame } from '../../kit/fields/frame'
import { SchemaFields } from '../../kit/fields/SchemaFields'
import { formed } from './formed'
import { functions } from './functions'
import { OrderForm } from './OrderForm'
import { useOffers } from './useOffers'
import { TypedRows, type TypedRow } from './TypedRows'
import type { OutlineAnswer } from './answers'

interface Props {
  readonly text: string
  readonly part: OutlineAnswer['parts'][number]
  /** Ids of the job's other parts. */
  readonly others: readonly string[]
  readonly names: readonly string[]
  readonly locked: boolean
  readonly faults: readonly Fault[]
  readonly onText: (text: string, typed?: boolean) => void
}

/** A part: its title, what it loops over with the rows it gives, how many loads at once. */
export function PartForm({ text, part, others, names, locked, faults, onText }: Props): ReactElement {
  const path = useMemo<Path>(() => ['parts', part.index], [part.index])
  const roster = useMemo<Path>(() => [...path, 'each', 'roster'], [path])
  const title = valueAt(text, [...path, 'title'])
  const each = valueAt(text, [...path, 'each']) as Readonly<Record<string, unknown>> | undefined
  const set = (key: string, value: unknown) => onText(setAt(text, [...path, key], value), true)
  const frame: FieldFrame = {
    locked,
    expressions: [],
    offers: () => [],
    ...formed(text, path, faults, onText),
  }
  return (
    <section className="sheet stack" aria-label="the part" style={{ overflow: 'auto' }} tabIndex={0}>
      <h2 style={{ margin: 0 }}>
        {part.kind === 'once' ? 'A part that runs once' : 'A part for each row of a roster'}
      </h2>
      <div className="form-rows" style={{ flex: 'none' }}>
        <span className="label">title</span>
        <TextInput
          label="title of the part"
          value={String(title ?? '')}
          disabled={locked}
          onChange={(value) => set('title', value || undefined)}
        />
      </div>
      <OrderForm
        what="part"
        schema={partOrderSchema}
        value={(valueAt(text, path) ?? {}) as Readonly<Record<string, unknown>>}
        others={others}
        first={part.index === 0}
        frame={frame}
        onChange={set}
      />
      {part.kind === 'each' && (
        <div style={{ flex: 'none' }}>
          <SchemaFields
            schema={eachSchema}
            path={['each']}
            said="part"
            value={each}
            frame={frame}
            without={['roster']}
            onChange={(value) => set('each', value)}
          />
        </div>
      )}
      {part.kind === 'each' && (
        <>
          <RosterForm
            text={text}
            path={roster}
            depth={0}
            names={names}
            locked={locked}
            faults={faults}
            onText={onText}
          />
          <Preview text={text} part={part.index} broken={faults.length > 0} />
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
  faults,
  onText,
}: {
  text: string
  path: Path
  depth: number
  names: readonly string[]
  locked: boolean
  faults: readonly Fault[]
  onText: (text: string, typed?: boolean) => void
}): ReactElement {
  const offers = useOffers()
  const raw = (valueAt(text, path) ?? {}) as Readonly<Record<string, unknown>>
  const frame = useMemo<FieldFrame>(
    () => ({
      locked,
      expressions: [...names, ...functions],
      offers,
      ...formed(text, path, faults, onText),
    }),
    [locked, names, offers, faults, onText, text, path],
  )
  return (
    <div style={{ marginLeft: depth * 18, flex: 'none' }}>
      <SchemaFields
        schema={rosterSchema}
        path={[]}
        said={depth === 0 ? 'roster' : 'inner roster'}
        value={raw}
        frame={frame}
        without={['inner', 'rows']}
        onChange={(value) => onText(setAt(text, path, value))}
      />
      {raw.rows !== undefined && (
        <TypedRows
          rows={Array.isArray(raw.rows) ? (raw.rows as TypedRow[]) : []}
          locked={locked}
          onChange={(rows) => onText(setAt(text, [...path, 'rows'], rows), true)}
        />
      )}
      {raw.inner === undefined ? (
        !locked && (
          <Button
            style={{ marginTop: 8 }}
            onClick={() => onText(setAt(text, [...path, 'inner'], { files: rosters.files.fresh }))}
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
            faults={faults}
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
        <span style={{ marginLeft: 'auto' }}>
          <TextInput
            label="find in the roster"
            placeholder="find rows"
            width={180}
            value={search}
            onChange={setSearch}
          />
        </span>
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
