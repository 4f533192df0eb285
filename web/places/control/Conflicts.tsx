import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { keyText } from '../../../core/control/edits'
import type { Row } from '../../../core/value'
import { count } from '../../look/times'
import { field, type Draft } from '../../kit/drafts'
import { cellText, draftOf, type ControlAnswer } from './edits'
import type { OpenSheet } from './useSheet'

type Conflict = Answer<typeof routes.editControl>['conflicts'][number]
type Side = 'mine' | 'theirs'

/** A cell that was changed on one side or on both. */
interface Cell {
  readonly id: string
  readonly column: string
  readonly before: string
  readonly mine: string
  readonly theirs: string
  /** Changed by both, and not to the same: somebody must choose. */
  readonly open: boolean
}

interface Meeting {
  readonly conflict: Conflict
  readonly key: string
  readonly at: number
  /** My row; undefined where I take it out. */
  readonly mine: Draft | undefined
  readonly cells: readonly Cell[]
}

function meetingOf(
  { table, original, drafts }: Pick<OpenSheet, 'table' | 'original' | 'drafts'>,
  conflict: Conflict,
): Meeting {
  const key = keyText(conflict.key)
  const at = table.rows.findIndex((row) => table.key.every((name) => row[name] === conflict.key[name]))
  const mine = drafts.find((draft) => draft.at === at)
  const cells = table.columns.flatMap((column): Cell[] => {
    const before = original[at]?.[field(column.name)] ?? ''
    const own = mine ? (mine[field(column.name)] ?? '') : before
    const theirs = conflict.now ? cellText(conflict.now[column.name] ?? null, column) : before
    if (own === before && theirs === before) return []
    return [
      {
        id: `${key}\n${column.name}`,
        column: column.name,
        before,
        mine: own,
        theirs,
        open: own !== before && theirs !== before && own !== theirs,
      },
    ]
  })
  return { conflict, key, at, mine, cells }
}

/**
 * Rows that somebody else changed meanwhile, cell by cell: nothing is saved until each cell that both changed is
 * settled. Cells that only one of the two changed are taken from that one.
 */
export function Conflicts({
  sheet,
  conflicts,
  onSettled,
}: {
  sheet: OpenSheet
  conflicts: readonly Conflict[]
  onSettled: () => void
}): ReactElement {
  const meetings = conflicts.map((conflict) => meetingOf(sheet, conflict))
  const [chosen, setChosen] = useState<Readonly<Record<string, Side>>>({})
  const choose = (ids: readonly string[], side: Side) =>
    setChosen({ ...chosen, ...Object.fromEntries(ids.map((id) => [id, side])) })
  const openIds = ({ conflict, mine, cells, key }: Meeting): string[] =>
    // a row that one of the two took out is one question
    conflict.now === null || !mine ? [key] : cells.filter(({ open }) => open).map(({ id }) => id)
  const open = meetings.flatMap(openIds).filter((id) => !chosen[id])
  const settle = () => {
    const next = settled(sheet, meetings, chosen)
    sheet.rebase(next.table, next.original, next.drafts)
    onSettled()
  }
  return (
    <section className="fault" role="alert" style={{ flex: 'none', maxHeight: 260, overflow: 'auto' }}>
      <div className="line" style={{ flexWrap: 'wrap' }}>
        <span>
          <b>{count(conflicts.length, 'row')} changed while you were editing. Nothing was saved.</b> Choose
          for each cell that both changed, then save again.
        </span>
        <span className="line" style={{ marginLeft: 'auto' }}>
          <Button onClick={() => choose(meetings.flatMap(openIds), 'theirs')}>All theirs</Button>
          <Button onClick={() => choose(meetings.flatMap(openIds), 'mine')}>All mine</Button>
          <Button variant="contained" color="primary" disabled={open.length > 0} onClick={settle}>
            {open.length > 0 ? `${count(open.length, 'choice')} to make` : 'Go on with these'}
          </Button>
        </span>
      </div>
      <Lines style={{ marginTop: 6 }}>
        <TableHead>
          <TableRow>
            <TableCell>row</TableCell>
            <TableCell>column</TableCell>
            <TableCell>before</TableCell>
            <TableCell>theirs</TableCell>
            <TableCell>mine</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {meetings.map((meeting) =>
            meeting.conflict.now === null || !meeting.mine ? (
              <WholeRow
                key={meeting.key}
                meeting={meeting}
                side={chosen[meeting.key]}
                onChoose={(side) => choose([meeting.key], side)}
              />
            ) : (
              meeting.cells.map((cell) => (
                <TableRow key={cell.id}>
                  <TableCell className="mono">{meeting.key}</TableCell>
                  <TableCell>{cell.column}</TableCell>
                  <TableCell className="mono soft">{cell.before || 'empty'}</TableCell>
                  <Choice
                    text={cell.theirs}
                    open={cell.open}
                    taken={cell.open ? chosen[cell.id] === 'theirs' : cell.theirs !== cell.before}
                    onChoose={() => choose([cell.id], 'theirs')}
                  />
                  <Choice
                    text={cell.mine}
                    open={cell.open}
                    taken={cell.open ? chosen[cell.id] === 'mine' : cell.mine !== cell.before}
                    onChoose={() => choose([cell.id], 'mine')}
                  />
                </TableRow>
              ))
            ),
          )}
        </TableBody>
      </Lines>
    </section>
  )
}

function Choice({
  text,
  open,
  taken,
  onChoose,
}: {
  text: string
  open: boolean
  taken: boolean
  onChoose: () => void
}): ReactElement {
  return (
    <TableCell>
      {open ? (
        <Button aria-pressed={taken} onClick={onChoose}>
          <span className="mono">{text || 'empty'}</span>
        </Button>
      ) : (
        <span className={taken ? 'mono' : 'mono soft'}>{text || 'empty'}</span>
      )}
    </TableCell>
  )
}

function WholeRow({
  meeting: { key, conflict },
  side,
  onChoose,
}: {
  meeting: Meeting
  side: Side | undefined
  onChoose: (side: Side) => void
}): ReactElement {
  const gone = conflict.now === null
  return (
    <TableRow>
      <TableCell className="mono">{key}</TableCell>
      <TableCell className="soft">the whole row</TableCell>
      <TableCell />
      <TableCell>
        <Button aria-pressed={side === 'theirs'} onClick={() => onChoose('theirs')}>
          {gone ? 'it was taken out' : 'keep it as they have it'}
        </Button>
      </TableCell>
      <TableCell>
        <Button aria-pressed={side === 'mine'} onClick={() => onChoose('mine')}>
          {gone ? 'put it in again' : 'take it out'}
        </Button>
      </TableCell>
    </TableRow>
  )
}

/** The sheet over the rows as they stand now, with my edits and the choices. */
function settled(
  { table, drafts }: Pick<OpenSheet, 'table' | 'drafts'>,
  meetings: readonly Meeting[],
  chosen: Readonly<Record<string, Side>>,
): { table: ControlAnswer; original: Draft[]; drafts: Draft[] } {
  const met = new Map(meetings.map((meeting) => [meeting.at, meeting]))
  const rows: Row[] = []
  const versions: string[] = []
  /** Places in the new reading, by the old. */
  const places = new Map<number, number>()
  table.rows.forEach((row, at) => {
    const meeting = met.get(at)
    if (meeting && meeting.conflict.now === null) return
    places.set(at, rows.length)
    rows.push(meeting ? meeting.conflict.now! : row)
    versions.push(meeting ? meeting.conflict.version! : table.versions[at]!)
  })
  const read = { ...table, rows, versions }
  const original = rows.map((row, at) => draftOf(read, row, at))
  const touched = new Map(drafts.filter(({ at }) => at >= 0).map((draft) => [draft.at, draft]))
  const next: Draft[] = []
  table.rows.forEach((_, at) => {
    const draft = touched.get(at)
    const place = places.get(at)
    const meeting = met.get(at)
    if (!meeting) {
      if (!draft) return
      const own = original[place!]!
      const same = table.columns.every(({ name }) => draft[field(name)] === own[field(name)])
      next.push(same ? own : { ...draft, id: own.id, at: place! })
    } else if (place === undefined) {
      if (draft && chosen[meeting.key] === 'mine') next.push({ ...draft, at: -1 })
    } else if (!draft) {
      if (chosen[meeting.key] === 'theirs') next.push(original[place]!)
    } else {
      const cells = meeting.cells.flatMap(({ id, column, before, mine, open }) =>
        (open ? chosen[id] === 'mine' : mine !== before) ? [[field(column), mine]] : [],
      )
      next.push(
        cells.length === 0
          ? original[place]!
          : { ...original[place]!, ...(Object.fromEntries(cells) as object) },
      )
    }
  })
  return { table: read, original, drafts: [...next, ...drafts.filter(({ at }) => at < 0)] }
}
