import { FilePick, rowEndings } from '../../kit/FilePick'
import { Lines } from '../../kit/Lines'
import { Button, Checkbox, FormControlLabel, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useMemo, useState, type ReactElement } from 'react'
import { bringIn, readIncoming, type BroughtIn } from '../../../core/control/bringIn'
import { keyOf, keyText, keyId } from '../../../core/control/edits'
import { valueText } from '../../../core/value'
import { count, numberText } from '../../look/times'
import { Change } from '../catalog/Change'
import { field, type Draft } from '../../kit/drafts'
import { cellText, draftOf, type ControlAnswer } from './edits'

/** Rows from CSV or JSON, matched by key: what they add, change and leave out is seen before they are taken. */
export function BringIn({
  table,
  drafts,
  onTake,
  onClose,
}: {
  table: ControlAnswer
  drafts: readonly Draft[]
  onTake: (drafts: Draft[]) => void
  onClose: () => void
}): ReactElement {
  const [text, setText] = useState('')
  const [remove, setRemove] = useState(false)
  const { found, fault } = useMemo(() => look(table, text), [table, text])
  const nothing =
    !found || found.added.length + found.changed.length + (remove ? found.absent.length : 0) === 0
  return (
    <section className="sheet" aria-label="bring rows in" style={{ flex: 'none' }}>
      <div className="line" style={{ alignItems: 'flex-start', gap: 18 }}>
        <div style={{ flex: '1 1 380px' }}>
          <TextField
            label="paste CSV or JSON, or pick a file"
            value={text}
            onChange={(event) => setText(event.target.value)}
            multiline
            rows={5}
            fullWidth
            autoFocus
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { className: 'mono' } }}
          />
          <FilePick
            label="file to bring in"
            endings={rowEndings}
            onFiles={([file]) => void file?.text().then(setText)}
          />
        </div>
        <div
          style={{ flex: '1 1 420px', maxHeight: 190, overflow: 'auto' }}
          tabIndex={0}
          role="region"
          aria-label="what comes in"
        >
          {text.trim() === '' && (
            <span className="soft">
              The first line names the columns. Rows are matched by {table.key.join(', ')}; columns that do
              not come in stay as they are.
            </span>
          )}
          {fault && <b className="bad">{fault}</b>}
          {found && <Found table={table} found={found} remove={remove} onRemove={setRemove} />}
        </div>
      </div>
      <div className="line" style={{ marginTop: 8 }}>
        <Button
          variant="contained"
          color="primary"
          disabled={nothing}
          onClick={() => onTake(take(table, drafts, found!, remove))}
        >
          Take in
        </Button>
        <Button onClick={onClose}>Close</Button>
        <span className="soft">not saved until you save</span>
      </div>
    </section>
  )
}

function look(table: ControlAnswer, text: string): { found?: BroughtIn; fault?: string } {
  if (text.trim() === '') return {}
  try {
    return { found: bringIn(table, readIncoming(text)) }
  } catch (error) {
    return { fault: (error as Error).message }
  }
}

function Found({
  table,
  found,
  remove,
  onRemove,
}: {
  table: ControlAnswer
  found: BroughtIn
  remove: boolean
  onRemove: (remove: boolean) => void
}): ReactElement {
  const { added, changed, absent, same, unknown, faults } = found
  const keys = (rows: readonly BroughtIn['added'][number][]) =>
    rows
      .slice(0, 6)
      .map((row) => keyText(keyOf(table, row)))
      .join(', ') + (rows.length > 6 ? ` and ${numberText(rows.length - 6)} more` : '')
  return (
    <Lines>
      <TableBody>
        <TableRow>
          <TableCell className="keep number">
            <b>{numberText(added.length)}</b>
          </TableCell>
          <TableCell className="keep">new</TableCell>
          <TableCell className="mono">{keys(added)}</TableCell>
        </TableRow>
        <TableRow>
          <TableCell className="keep number">
            <b>{numberText(changed.length)}</b>
          </TableCell>
          <TableCell className="keep">changed</TableCell>
          <TableCell>
            {changed.slice(0, 4).map(({ key, set, before }) => (
              <div key={keyText(key)}>
                <span className="mono">{keyText(key)}</span>{' '}
                {Object.entries(set).map(([name, value]) => (
                  <span key={name} style={{ marginLeft: 8 }}>
                    <span className="soft">{name}</span>{' '}
                    <Change before={valueText(before[name] ?? null)} after={valueText(value)} />
                  </span>
                ))}
              </div>
            ))}
            {changed.length > 4 && <span className="soft">and {numberText(changed.length - 4)} more</span>}
          </TableCell>
        </TableRow>
        <TableRow>
          <TableCell className="keep number">
            <b>{numberText(absent.length)}</b>
          </TableCell>
          <TableCell className="keep">not among them</TableCell>
          <TableCell>
            {absent.length > 0 && (
              <FormControlLabel
                control={
                  <Checkbox
                    checked={remove}
                    onChange={(event) => onRemove(event.target.checked)}
                    sx={{ py: 0 }}
                  />
                }
                label={`take ${absent.length === 1 ? 'this row' : 'these rows'} out`}
              />
            )}{' '}
            <span className="mono soft">{keys(absent)}</span>
          </TableCell>
        </TableRow>
        <TableRow>
          <TableCell className="keep number">{numberText(same)}</TableCell>
          <TableCell className="keep soft">the same</TableCell>
          <TableCell>
            {unknown.length > 0 && (
              <span className="look">
                {count(unknown.length, 'column')} the table has not, left aside:{' '}
                <span className="mono">{unknown.join(', ')}</span>
              </span>
            )}
          </TableCell>
        </TableRow>
        {faults.length > 0 && (
          <TableRow>
            <TableCell className="keep number">
              <b className="bad">{numberText(faults.length)}</b>
            </TableCell>
            <TableCell className="keep bad">stay out</TableCell>
            <TableCell>
              {faults.slice(0, 5).map(({ row, message }) => (
                <div key={row}>
                  row {row}: {message}
                </div>
              ))}
              {faults.length > 5 && <span className="soft">and {numberText(faults.length - 5)} more</span>}
            </TableCell>
          </TableRow>
        )}
      </TableBody>
    </Lines>
  )
}

/** The drafts with what comes in; rows are matched with what was read. */
function take(table: ControlAnswer, drafts: readonly Draft[], found: BroughtIn, remove: boolean): Draft[] {
  const columns = new Map(table.columns.map((column) => [column.name, column]))
  const places = new Map(table.rows.map((row, at) => [keyId(keyOf(table, row)), at]))
  const sets = new Map(found.changed.map(({ key, set }) => [places.get(keyId(key)), set]))
  const gone = new Set(remove ? found.absent.map((row) => places.get(keyId(keyOf(table, row)))) : [])
  const kept = drafts.flatMap((draft) => {
    if (draft.at >= 0 && gone.has(draft.at)) return []
    const set = draft.at >= 0 ? sets.get(draft.at) : undefined
    if (!set) return [draft]
    const cells = Object.entries(set).map(([name, value]) => [
      field(name),
      cellText(value, columns.get(name)!),
    ])
    return [{ ...draft, ...(Object.fromEntries(cells) as object) } as Draft]
  })
  return [...kept, ...found.added.map((row) => draftOf(table, row, -1))]
}
