import { Button } from '@mui/material'
import { useCallback, useEffect, useMemo, useRef, useState, type ReactElement } from 'react'
import { Link, useBlocker, useParams } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMayChange } from '../../data/session'
import { count } from '../../look/times'
import { FaultBox, Waiting } from '../../parts/Fault'
import { useKeys } from '../../parts/keys'
import { Changes } from './Changes'
import { Conflicts } from './Conflicts'
import { ControlGrid } from './ControlGrid'
import { changesOf, draftsOf, emptyDraft, type ControlAnswer, type Draft } from './edits'
import { History } from './History'

/** One control table as a spreadsheet, with what is unsaved below it. */
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
  return <Editor key={`${name} ${environment}`} table={data} onRefresh={() => mutate()} />
}

type Conflict = Answer<typeof routes.editControl>['conflicts'][number]

function Editor({
  table: newest,
  onRefresh,
}: {
  table: ControlAnswer
  onRefresh: () => Promise<ControlAnswer | undefined>
}): ReactElement {
  const { environment } = useHere()
  const mayChange = useMayChange()
  const connections = useAnswer(routes.connections, { query: { environment } })
  // what the edits were made from: a newer reading comes in only where nothing is unsaved
  const [table, setTable] = useState(newest)
  const [drafts, setDrafts] = useState(() => draftsOf(newest))
  const past = useRef<Draft[][]>([])
  const future = useRef<Draft[][]>([])
  const [conflicts, setConflicts] = useState<readonly Conflict[]>([])
  const [fault, setFault] = useState<Error>()
  const [saved, setSaved] = useState<string>()
  const [history, setHistory] = useState(false)
  const names = useMemo(
    () => (connections.data ?? []).map((connection) => connection.name),
    [connections.data],
  )
  const changes = useMemo(() => changesOf(table, drafts, names), [table, drafts, names])
  const faulty = changes.some(({ faults }) => faults.length > 0)
  const dirty = changes.length > 0

  const take = useCallback((read: ControlAnswer) => {
    setTable(read)
    setDrafts(draftsOf(read))
    past.current = []
    future.current = []
    setConflicts([])
  }, [])
  useEffect(() => {
    if (!dirty && newest !== table) take(newest)
  }, [newest, dirty, table, take])

  const edit = useCallback(
    (next: Draft[]) => {
      past.current.push(drafts)
      future.current = []
      setSaved(undefined)
      setDrafts(next)
    },
    [drafts],
  )
  const undo = useCallback(() => {
    const before = past.current.pop()
    if (!before) return
    future.current.push(drafts)
    setDrafts(before)
  }, [drafts])
  const redo = useCallback(() => {
    const after = future.current.pop()
    if (!after) return
    past.current.push(drafts)
    setDrafts(after)
  }, [drafts])

  const save = useCallback(async () => {
    if (!dirty || faulty) return
    setFault(undefined)
    const answer = await call(routes.editControl, {
      params: { name: table.name },
      query: { environment },
      body: { edits: changes.map((change) => change.edit) },
    })
    setConflicts(answer.conflicts)
    if (answer.conflicts.length > 0) return
    setSaved(count(answer.saved, 'change'))
    const read = await onRefresh()
    if (read) take(read)
  }, [changes, dirty, faulty, table.name, environment, onRefresh, take])
  useKeys(
    useMemo(
      () => ({ 'ctrl+s': () => void save().catch(setFault), 'ctrl+z': undo, 'ctrl+y': redo }),
      [save, undo, redo],
    ),
  )
  useBeforeLeaving(dirty)

  /** The row as it stands in the database takes the place of mine, or mine is based on it. */
  const settle = (conflict: Conflict, mine: boolean) => {
    const at = table.rows.findIndex((row) => table.key.every((name) => row[name] === conflict.key[name]))
    if (conflict.now === null) {
      // it was removed: without it mine can only be a new row
      setDrafts(drafts.flatMap((draft) => (draft.at !== at ? [draft] : mine ? [{ ...draft, at: -1 }] : [])))
      setTable({
        ...table,
        rows: table.rows.filter((_, i) => i !== at),
        versions: table.versions.filter((_, i) => i !== at),
      })
      setDrafts((now) => now.map((draft) => (draft.at > at ? { ...draft, at: draft.at - 1 } : draft)))
    } else {
      const next = {
        ...table,
        rows: table.rows.map((row, i) => (i === at ? conflict.now! : row)),
        versions: table.versions.map((version, i) => (i === at ? conflict.version! : version)),
      }
      setTable(next)
      if (!mine) setDrafts(drafts.map((draft) => (draft.at === at ? draftsOf(next)[at]! : draft)))
    }
    setConflicts(conflicts.filter((other) => other !== conflict))
  }

  return (
    <div className="stack grow">
      <div className="head" style={{ marginBottom: 0 }}>
        <h1 className="mono" style={{ fontSize: 18 }}>
          {table.name}
        </h1>
        <span className="soft">
          {table.title} · {count(drafts.length, 'row')}
          {table.jobs.length > 0 && ' · read by '}
          {table.jobs.map((job, i) => (
            <span key={job}>
              {i > 0 && ', '}
              <Link to={`/jobs/${job}`}>{job}</Link>
            </span>
          ))}
          {saved && <span className="good"> · {saved} saved</span>}
        </span>
        <div className="actions">
          <Button aria-pressed={history} onClick={() => setHistory(!history)}>
            History
          </Button>
          <Button
            onClick={() => void onRefresh()}
            disabled={dirty}
            title={dirty ? 'save or undo first' : undefined}
          >
            Refresh
          </Button>
          {mayChange && (
            <>
              <Button onClick={() => edit([...drafts, emptyDraft(table)])}>Add a row</Button>
              <Button
                variant="contained"
                color="primary"
                disabled={!dirty || faulty}
                onClick={() => void save().catch(setFault)}
              >
                {dirty ? `Save ${count(changes.length, 'change')}` : 'Saved'}
              </Button>
            </>
          )}
        </div>
      </div>
      {fault && <FaultBox error={fault} />}
      {conflicts.length > 0 && (
        <Conflicts table={table} conflicts={conflicts} changes={changes} onSettle={settle} />
      )}
      <ControlGrid table={table} drafts={drafts} changes={changes} locked={!mayChange} onChange={edit} />
      {history ? (
        <History name={table.name} />
      ) : (
        mayChange && (
          <Changes
            changes={changes}
            onUndo={past.current.length > 0 ? undo : undefined}
            onPutBack={(change) =>
              edit(
                change.kind === 'add'
                  ? drafts.filter((_, i) => i !== change.place)
                  : putBack(table, drafts, change.at),
              )
            }
          />
        )
      )}
    </div>
  )
}

/** The drafts with one row as it was read. */
function putBack(table: ControlAnswer, drafts: readonly Draft[], at: number): Draft[] {
  const original = draftsOf(table)[at]!
  if (drafts.some((draft) => draft.at === at))
    return drafts.map((draft) => (draft.at === at ? original : draft))
  const after = drafts.findIndex((draft) => draft.at > at)
  return after < 0 ? [...drafts, original] : [...drafts.slice(0, after), original, ...drafts.slice(after)]
}

/** Unsaved edits are not lost by a slip of the mouse. */
function useBeforeLeaving(dirty: boolean): void {
  const blocker = useBlocker(dirty)
  useEffect(() => {
    if (blocker.state !== 'blocked') return
    if (window.confirm('Leave this page? What is not saved is lost.')) blocker.proceed()
    else blocker.reset()
  }, [blocker])
  useEffect(() => {
    if (!dirty) return
    const warn = (event: BeforeUnloadEvent) => event.preventDefault()
    window.addEventListener('beforeunload', warn)
    return () => window.removeEventListener('beforeunload', warn)
  }, [dirty])
}
