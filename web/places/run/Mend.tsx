import { Button } from '@mui/material'
import { useCallback, useMemo, useRef, useState, type ReactElement } from 'react'
import type { Column } from 'react-datasheet-grid'
import { Link, useParams, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useMay } from '../../data/session'
import { field, type Draft } from '../../kit/drafts'
import { Empty, FaultBox, Waiting } from '../../kit/Fault'
import { FindReplace } from '../../kit/FindReplace'
import { LeaveGuard } from '../../kit/LeaveGuard'
import { useStarting } from '../../kit/Starting'
import { cellClass, textColumn, TextGrid } from '../../kit/textGrid'
import { StateWord } from '../../look/State'
import { count, numberText, timeText } from '../../look/times'

type ToMend = Answer<typeof routes.toMend>
type Rejected = ToMend['rows'][number]

/** Rows that a load rejected, as a grid: mended here, they are brought in by a run that is tied to the load. */
export default function Mend(): ReactElement {
  const params = useParams()
  const [search] = useSearchParams()
  const step = search.get('step') ?? ''
  const of = { id: Number(params.id), load: Number(params.load) }
  const { data, error, isValidating } = useAnswer(
    routes.toMend,
    { params: of, query: { step } },
    { revalidateOnFocus: false },
  )
  // what is typed must not be lost because somebody else brings rows in meanwhile; the server tells of those
  const [found, setFound] = useState<ToMend>()
  if (!found && data && !isValidating) setFound(data)
  const { data: load } = useAnswer(routes.runLoad, { params: of })
  const { data: run } = useAnswer(routes.run, { params: { id: of.id } })
  if (error && !found) return <FaultBox error={error} />
  if (!found || !load || !run) return <Waiting what="reading the rejected rows" />
  return <MendSheet of={of} step={step} found={found} title={load.key} environment={run.environment} />
}

const told = (row: Rejected): row is Rejected & { values: (string | null)[] } => row.values !== null

function MendSheet({
  of,
  step,
  found,
  title,
  environment,
}: {
  readonly of: { readonly id: number; readonly load: number }
  readonly step: string
  readonly found: ToMend
  readonly title: string
  readonly environment: string
}): ReactElement {
  const mayChange = useMay('run', environment)
  const rows = useMemo(() => found.rows.filter(told), [found])
  const original = useMemo(() => rows.map((row, at) => draftOf(found.columns, row, at)), [found, rows])
  const [drafts, setDrafts] = useState<readonly Draft[]>(original)
  const [finding, setFinding] = useState(false)
  // what is brought in is not lost when the page is left for its run
  const broughtIn = useRef(false)
  const locked = found.cannot !== null || !mayChange
  const changed = useMemo(() => drafts.filter((draft) => isChanged(found.columns, original, draft)), [drafts, original, found]) // prettier-ignore
  const [all, setAll] = useState(false)
  const wanted = all ? drafts : changed
  const starting = useStarting(
    useCallback(
      async ({ press }) => {
        const mended = wanted.map((draft) => ({
          at: rows[draft.at]!.at,
          values: valuesOf(found.columns, original[draft.at]!, draft, rows[draft.at]!.values),
        }))
        const answer = await call(routes.mend, { params: of, body: { step, rows: mended, press } })
        broughtIn.current = true
        return answer
      },
      [wanted, rows, found, original, of, step],
    ),
  )
  const columns = useMemo(
    () => columnsOf(found.columns, rows, original, locked),
    [found, rows, original, locked],
  )
  const untold = found.rows.length - rows.length
  return (
    <div className="stack grow">
      <LeaveGuard
        when={changed.length > 0}
        but={() => broughtIn.current}
        what="The rows that you mended are not brought in."
      />
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Rejected rows of {title}</h1>
        <Link className="tag" to={`/runs/${of.id}?load=${of.load}`}>
          run {of.id}, step {step}
        </Link>
        <div className="actions">
          {!locked && rows.length > 0 && (
            <>
              <Button onClick={() => setFinding(!finding)} aria-pressed={finding}>
                Find and replace
              </Button>
              <Button onClick={() => setAll(!all)} aria-pressed={all}>
                {all ? 'Only those I changed' : `All ${numberText(drafts.length)}, changed or not`}
              </Button>
              <Button
                variant="contained"
                color="primary"
                disabled={wanted.length === 0}
                onClick={starting.begin}
              >
                {wanted.length === 0 ? 'Bring in' : `Bring in ${count(wanted.length, 'row')}`}
              </Button>
            </>
          )}
        </div>
      </div>
      <p className="soft" style={{ margin: 0 }}>
        {found.left === 0
          ? `All ${numberText(found.total)} were brought in.`
          : `${numberText(found.left)} of ${numberText(found.total)} ${found.left === 1 ? 'is' : 'are'} to be mended${found.left > found.rows.length ? `; the first ${numberText(found.rows.length)} are here, the others follow` : ''}. They are read as the others of their load were, and added to what it wrote; what is still wrong is rejected again.`}
        {untold > 0 &&
          ` ${count(untold, 'row')} cannot be taken apart into columns: take them out as CSV, and mend the source.`}
      </p>
      {found.runs.map(({ run, state, by, rows: many, at }) => (
        <span key={run} className="line">
          <Link to={`/runs/${run}`}>run {run}</Link>
          <StateWord state={state} />
          <span className="soft">
            {count(many, 'row')} by {by}, {timeText(at)}
          </span>
        </span>
      ))}
      {found.cannot !== null && (
        <div className="fault" role="note">
          These rows cannot be brought in: {found.cannot}.
        </div>
      )}
      {starting.fault && <FaultBox error={starting.fault} />}
      {starting.asking}
      {finding && (
        <FindReplace
          columns={found.columns}
          drafts={drafts}
          ids={drafts.map(({ id }) => id)}
          onReplace={setDrafts}
          onClose={() => setFinding(false)}
        />
      )}
      {rows.length > 0 ? (
        <TextGrid
          label="rejected rows"
          columns={columns}
          rows={drafts}
          lockRows
          fits
          onChange={locked ? () => {} : setDrafts}
        />
      ) : (
        found.left === 0 && <Empty>Nothing is left to mend.</Empty>
      )}
    </div>
  )
}

const draftOf = (columns: readonly string[], row: Rejected, at: number): Draft => ({
  id: at,
  at,
  ...Object.fromEntries(columns.map((name, i) => [field(name), row.values?.[i] ?? ''])),
})

const isChanged = (columns: readonly string[], original: readonly Draft[], draft: Draft): boolean => {
  const was = original[draft.at]!
  return draft !== was && columns.some((name) => draft[field(name)] !== was[field(name)])
}

/** A cell that was not touched keeps its very value; one that was emptied is nothing. */
const valuesOf = (
  columns: readonly string[],
  was: Draft,
  draft: Draft,
  values: readonly (string | null)[],
): (string | null)[] =>
  columns.map((name, i) => {
    const text = draft[field(name)] ?? ''
    if (text === was[field(name)]) return values[i] ?? null
    return text === '' ? null : text
  })

/** Where a row stood and what is wrong with it, then its columns. */
function columnsOf(
  names: readonly string[],
  rows: readonly (Rejected & { values: (string | null)[] })[],
  original: readonly Draft[],
  locked: boolean,
): Partial<Column>[] {
  const why: Partial<Column> = {
    id: 'why',
    title: 'why it was rejected',
    basis: 330,
    grow: 1,
    minWidth: 240,
    disabled: true,
    component: ({ rowData }: { rowData: Draft }) => {
      const { file, line, reason, column, beyond } = rows[rowData.at]!
      const words = `${column && !reason.startsWith(column) ? `${column}: ` : ''}${reason}${beyond.length > 0 ? `; beyond the columns: ${beyond.join(', ')}` : ''}`
      return (
        <span className="why" title={`${file && `${file}, `}line ${line}: ${words}`}>
          <span className="soft">line {numberText(line)}</span> {words}
        </span>
      )
    },
  }
  const own = names.map((name): Partial<Column> => {
    const at = names.indexOf(name)
    const longest = rows.reduce((most, { values }) => Math.max(most, values[at]?.length ?? 0), name.length)
    const basis = Math.min(260, Math.max(80, longest * 7.6 + 26))
    return {
      ...(textColumn(name, original) as Partial<Column>),
      id: name,
      title: name,
      basis,
      grow: 1,
      minWidth: basis,
      disabled: locked,
      cellClassName: ({ rowData }: { rowData: Draft }) => {
        const row = rows[rowData.at]!
        const touched = rowData[field(name)] !== original[rowData.at]![field(name)]
        return cellClass(original, rowData, name, row.column === name && !touched)
      },
    }
  })
  return [why, ...own]
}
