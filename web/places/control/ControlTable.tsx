import { Views } from '../../kit/Views'
import { Button } from '@mui/material'
import { useCallback, useEffect, useMemo, useRef, useState, type ReactElement } from 'react'
import { Link, useParams, useSearchParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMayEditRows } from '../../data/session'
import { count, numberText } from '../../look/times'
import { FaultBox, Waiting } from '../../kit/Fault'
import { useKeys } from '../../kit/keys'
import { LeaveGuard } from '../../kit/LeaveGuard'
import { BringIn } from './BringIn'
import { Changes } from './Changes'
import { Conflicts } from './Conflicts'
import { ControlGrid } from './ControlGrid'
import { Effects } from './Effects'
import { emptyDraft, idsOf, mergeShown, putBack, wholeView, type ControlAnswer, type View } from './edits'
import type { Draft } from '../../kit/drafts'
import { FindReplace } from '../../kit/FindReplace'
import { History } from './History'
import { Rules } from './Rules'
import { Seen } from './Seen'
import { TakeOutRows } from './TakeOutRows'
import { useSheet } from './useSheet'

/** One control table as a spreadsheet, with what its unsaved edits would do below it. */
export default function ControlTable(): ReactElement {
  const name = useParams().name ?? ''
  const { environment } = useHere()
  const { data, error, mutate } = useAnswer(
    routes.controlTable,
    { params: { name }, query: { environment } },
    { revalidateOnFocus: true },
  )
  if (error && !data) return <FaultBox error={error} />
  if (!data) return <Waiting what={`reading ${name}`} />
  return <Editor key={`${name} ${environment}`} newest={data} onRefresh={() => mutate()} />
}

type Conflict = Answer<typeof routes.editControl>['conflicts'][number]
type Below = 'effects' | 'changes' | 'history' | 'rules'
type Above = 'replace' | 'bring-in' | undefined

function Editor({
  newest,
  onRefresh,
}: {
  newest: ControlAnswer
  onRefresh: () => Promise<ControlAnswer | undefined>
}): ReactElement {
  const { environment } = useHere()
  const mayChange = useMayEditRows(newest.where.connection === null, environment)
  const sheet = useSheet(newest)
  const { table, original, drafts, changes, dirty, edit, undo, redo, take } = sheet
  const [search] = useSearchParams()
  const [view, setView] = useState<View>(() => ({ ...wholeView, key: search.get('row') }))
  const [conflicts, setConflicts] = useState<readonly Conflict[]>([])
  const [fault, setFault] = useState<Error>()
  const [saved, setSaved] = useState<string>()
  const [below, setBelow] = useState<Below>('effects')
  const [above, setAbove] = useState<Above>()
  const [cell, setCell] = useState<{ id: number; column: string | undefined }>()
  const faulty = changes.filter(({ faults }) => faults.length > 0).length

  // the order is made anew when the view changes or other rows are read, so that a row does not jump while it is edited
  const [ids, setIds] = useState(() => idsOf(table, drafts, view))
  const latest = useRef({ table, drafts })
  latest.current = { table, drafts }
  useEffect(() => setIds(idsOf(latest.current.table, latest.current.drafts, view)), [view, original])
  const names = useMemo(() => table.columns.map((column) => column.name), [table])
  const shown = useMemo(() => {
    const byId = new Map(drafts.map((draft) => [draft.id, draft]))
    return ids.flatMap((id) => byId.get(id) ?? [])
  }, [ids, drafts])

  const change = useCallback(
    (next: readonly Draft[]) => {
      setSaved(undefined)
      edit(next)
    },
    [edit],
  )
  const fromGrid = useCallback(
    (next: readonly Draft[]) => {
      setIds(next.map(({ id }) => id))
      change(mergeShown(drafts, shown, next))
    },
    [change, drafts, shown],
  )
  const changeAll = useCallback(
    (next: readonly Draft[]) => {
      setIds(idsOf(table, next, view))
      change(next)
    },
    [change, table, view],
  )
  const again = useCallback(
    (step: () => void) => () => {
      step()
      setView({ ...view })
    },
    [view],
  )

  const save = useCallback(async () => {
    if (!dirty || faulty > 0) return
    setFault(undefined)
    const answer = await call(routes.editControl, {
      params: { name: table.name },
      query: { environment },
      body: { edits: changes.map((one) => one.edit) },
    })
    setConflicts(answer.conflicts)
    if (answer.conflicts.length > 0) return
    const read = await onRefresh()
    if (read) take(read)
    // said last: who is told so may leave at once
    setSaved(count(answer.saved, 'change'))
  }, [changes, dirty, faulty, table.name, environment, onRefresh, take])
  useKeys(
    useMemo(
      () => ({
        'ctrl+s': () => void save().catch(setFault),
        'ctrl+z': again(undo),
        'ctrl+y': again(redo),
        'ctrl+h': () => setAbove('replace'),
      }),
      [save, again, undo, redo],
    ),
  )
  const current = cell && drafts.find(({ id }) => id === cell.id)
  const belows: [Below, string][] = [
    ['effects', 'what these changes do'],
    ['changes', `${numberText(changes.length)} not saved`],
    ['history', 'history'],
    ['rules', 'columns and rules'],
  ]
  return (
    <div className="stack grow">
      <LeaveGuard when={dirty} what="What you changed in the rows is not saved." />
      <div className="head" style={{ marginBottom: 0 }}>
        <h1 className="mono" style={{ fontSize: 18 }}>
          {table.name}
        </h1>
        <span className="soft">
          {table.title}
          {table.jobs.length > 0 && ' · read by '}
          {table.jobs.map((job, i) => (
            <span key={job}>
              {i > 0 && ', '}
              <Link to={`/jobs/${job}`}>{job}</Link>
            </span>
          ))}
          {saved && <span className="good"> · {saved} saved</span>}
          {table.where.connection === null &&
            ` · shared by all environments${mayChange ? '' : ': editing needs the right to build in all of them'}`}
        </span>
        {mayChange && (
          <div className="actions">
            <Button disabled={!sheet.canUndo} onClick={again(undo)} title="Ctrl+Z">
              Undo
            </Button>
            <Button disabled={!sheet.canRedo} onClick={again(redo)} title="Ctrl+Y">
              Redo
            </Button>
            <Button
              variant="contained"
              color="primary"
              disabled={!dirty || faulty > 0}
              onClick={() => void save().catch(setFault)}
              title="Ctrl+S"
            >
              {!dirty
                ? 'Saved'
                : faulty > 0
                  ? `${count(faulty, 'row')} to mend`
                  : `Save ${count(changes.length, 'row')}`}
            </Button>
          </div>
        )}
      </div>
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <Seen table={table} view={view} shown={shown.length} total={drafts.length} onView={setView} />
        <span className="line" style={{ marginLeft: 'auto' }}>
          {mayChange && (
            <>
              <Button onClick={() => changeAll([...drafts, emptyDraft(table)])}>Add a row</Button>
              <Button
                aria-expanded={above === 'replace'}
                onClick={() => setAbove(above === 'replace' ? undefined : 'replace')}
                title="Ctrl+H"
              >
                Replace
              </Button>
              <Button
                aria-expanded={above === 'bring-in'}
                onClick={() => setAbove(above === 'bring-in' ? undefined : 'bring-in')}
              >
                Bring in
              </Button>
            </>
          )}
          <Button
            onClick={() => void onRefresh()}
            disabled={dirty}
            title={dirty ? 'save or undo first' : undefined}
          >
            Refresh
          </Button>
          <TakeOutRows table={table} shown={shown} />
        </span>
      </div>
      {above === 'replace' && (
        <FindReplace
          columns={names}
          drafts={drafts}
          ids={ids}
          onReplace={changeAll}
          onClose={() => setAbove(undefined)}
        />
      )}
      {above === 'bring-in' && (
        <BringIn
          table={table}
          drafts={drafts}
          onTake={(next) => {
            changeAll(next)
            setAbove(undefined)
            setBelow('effects')
          }}
          onClose={() => setAbove(undefined)}
        />
      )}
      {fault && <FaultBox error={fault} />}
      {conflicts.length > 0 && (
        <Conflicts
          sheet={sheet}
          conflicts={conflicts}
          onSettled={() => {
            setConflicts([])
            setView({ ...view })
          }}
        />
      )}
      <ControlGrid
        table={table}
        original={original}
        rows={shown}
        changes={changes}
        sort={view.sort}
        locked={!mayChange}
        onChange={fromGrid}
        onSort={(column) => setView({ ...view, sort: nextSort(view.sort, column) })}
        // the last one stays, so that its history can be asked for
        onCell={(row, column) => row && setCell({ id: row.id, column })}
      />
      <section className="sheet below" aria-label="below the rows">
        <Views label="what to see below" value={below} views={belows} onChange={setBelow} />
        <div
          className="below-scroll"
          tabIndex={0}
          role="region"
          aria-label={belows.find(([name]) => name === below)![1]}
        >
          {below === 'effects' && (
            <Effects table={table} changes={changes} faulty={faulty} environment={environment} />
          )}
          {below === 'changes' && (
            <Changes
              changes={changes}
              onPutBack={
                mayChange
                  ? ({ kind, id, at }) =>
                      changeAll(
                        kind === 'add'
                          ? drafts.filter((draft) => draft.id !== id)
                          : putBack(original, drafts, at),
                      )
                  : undefined
              }
            />
          )}
          {below === 'history' && (
            <History
              table={table}
              row={current && current.at >= 0 ? table.rows[current.at] : undefined}
              column={cell?.column}
              onPutBack={mayChange ? (next) => changeAll(next(drafts)) : undefined}
            />
          )}
          {below === 'rules' && (
            <Rules
              key={JSON.stringify(table.rules)}
              table={table}
              locked={!mayChange || dirty}
              dirty={dirty}
              onChanged={() => void onRefresh()}
            />
          )}
        </div>
      </section>
    </div>
  )
}

/** Up, then down, then as the rows come. */
const nextSort = (sort: View['sort'], column: string): View['sort'] =>
  sort?.column !== column ? { column, down: false } : sort.down ? undefined : { column, down: true }
