import { useCallback, useEffect, useMemo, useState } from 'react'
import type { RowCheck } from '../../../core/control/rowRules'
import { type Draft } from '../../kit/drafts'
import { changesOf, draftsOf, type Change, type ControlAnswer } from './edits'

interface Sheet {
  readonly table: ControlAnswer
  /** The rows as they were read, as texts. */
  readonly original: readonly Draft[]
  readonly drafts: readonly Draft[]
  readonly past: readonly (readonly Draft[])[]
  readonly future: readonly (readonly Draft[])[]
}

const opened = (table: ControlAnswer): Sheet => {
  const original = draftsOf(table)
  return { table, original, drafts: original, past: [], future: [] }
}

/** Steps that can be undone. */
const depth = 200

/** The rows of a control table under edit, with undo and redo. A newer reading comes in only where nothing is unsaved. */
export function useSheet(newest: ControlAnswer) {
  const [sheet, setSheet] = useState(() => opened(newest))
  const checkRow = useRowCheck(sheet.table)
  const { table, original, drafts } = sheet
  const changes = useMemo(
    () => changesOf(table, original, drafts, checkRow),
    [table, original, drafts, checkRow],
  )
  const dirty = changes.length > 0
  useEffect(() => {
    if (!dirty && newest !== table) setSheet(opened(newest))
  }, [newest, dirty, table])
  const edit = useCallback(
    (next: readonly Draft[]) =>
      setSheet((now) =>
        next === now.drafts
          ? now
          : { ...now, drafts: next, past: [...now.past.slice(-depth), now.drafts], future: [] },
      ),
    [],
  )
  const undo = useCallback(
    () =>
      setSheet((now) => {
        const before = now.past.at(-1)
        return before
          ? { ...now, drafts: before, past: now.past.slice(0, -1), future: [now.drafts, ...now.future] }
          : now
      }),
    [],
  )
  const redo = useCallback(
    () =>
      setSheet((now) => {
        const [after, ...future] = now.future
        return after ? { ...now, drafts: after, past: [...now.past, now.drafts], future } : now
      }),
    [],
  )
  const take = useCallback((read: ControlAnswer) => setSheet(opened(read)), [])
  /** The rows were read again while there are edits: they are based on the new reading, and cannot be undone past it. */
  const rebase = useCallback(
    (read: ControlAnswer, base: readonly Draft[], next: readonly Draft[]) =>
      setSheet({ table: read, original: base, drafts: next, past: [], future: [] }),
    [],
  )
  return {
    table,
    original,
    drafts,
    changes: changes as readonly Change[],
    dirty,
    canUndo: sheet.past.length > 0,
    canRedo: sheet.future.length > 0,
    edit,
    undo,
    redo,
    take,
    rebase,
  }
}

export type OpenSheet = ReturnType<typeof useSheet>

const noCheck: RowCheck = () => []

/** The rules over whole rows; the language they are written in is fetched only where there are some. */
function useRowCheck(table: ControlAnswer): RowCheck {
  const [check, setCheck] = useState<RowCheck>(() => noCheck)
  const { columns, rules } = table
  useEffect(() => {
    if (!Object.values(rules).some(({ holds }) => holds)) {
      setCheck(() => noCheck)
      return
    }
    let stale = false
    void import('../../../core/control/rowRules').then(({ rowCheck }) => {
      if (!stale) setCheck(() => rowCheck(columns, rules))
    })
    return () => {
      stale = true
    }
  }, [columns, rules])
  return check
}
