import { TextInput } from '../../kit/controls'
import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ClipboardEvent, type ReactElement } from 'react'
import { csvRecords } from '../../../core/files/csvRecords'
import { TakeAway } from '../../kit/TakeAway'

type Scalar = string | number | boolean | null
export type TypedRow = Readonly<Record<string, Scalar>>

/** What a person types as what it says: a number, true and false, nothing where it is empty; else a text. */
const valueOf = (text: string): Scalar =>
  text === ''
    ? null
    : text === 'true' || text === 'false'
      ? text === 'true'
      : /^-?(0|[1-9]\d{0,14})(\.\d+)?$/.test(text)
        ? Number(text)
        : text

const textOf = (value: Scalar | undefined): string =>
  value === null || value === undefined ? '' : String(value)

const columnsOf = (rows: readonly TypedRow[]): string[] => [...new Set(rows.flatMap(Object.keys))]

/** The rows of a roster that are typed in, as a grid; a block that is pasted fills it from the cell on. */
export function TypedRows({
  rows,
  locked,
  onChange,
}: {
  rows: readonly TypedRow[]
  locked: boolean
  onChange: (rows: readonly TypedRow[]) => void
}): ReactElement {
  const [adding, setAdding] = useState('')
  const columns = columnsOf(rows)
  const set = (at: number, name: string, text: string) =>
    onChange(rows.map((row, i) => (i === at ? { ...row, [name]: valueOf(text) } : row)))
  const rename = (before: string, after: string) => {
    if (after === '' || after === before || columns.includes(after)) return
    onChange(
      rows.map((row) =>
        Object.fromEntries(
          Object.entries(row).map(([name, value]) => [name === before ? after : name, value]),
        ),
      ),
    )
  }
  const paste = (event: ClipboardEvent, at: number, column: number) => {
    const text = event.clipboardData.getData('text/plain').replace(/\r?\n$/, '')
    if (!/[\t\n]/.test(text)) return
    event.preventDefault()
    const block = csvRecords(text, { delimiter: '\t' })
    const next = rows.map((row) => ({ ...row }))
    block.forEach((record, i) => {
      const row = (next[at + i] ??= Object.fromEntries(columns.map((name) => [name, null])))
      record.forEach((value, j) => {
        const name = columns[column + j]
        if (name !== undefined) row[name] = valueOf(value)
      })
    })
    onChange(next)
  }
  return (
    <div className="typed-rows" role="region" aria-label="rows typed in" tabIndex={0}>
      <Lines>
        <TableHead>
          <TableRow>
            {columns.map((name) => (
              <TableCell key={name}>
                <ColumnName name={name} locked={locked} onRename={(next) => rename(name, next)} />
              </TableCell>
            ))}
            <TableCell>
              {!locked && (
                <TextInput
                  label="a column more"
                  placeholder="a column more"
                  mono
                  value={adding}
                  onChange={setAdding}
                  onLeave={() => {
                    const name = adding.trim()
                    setAdding('')
                    if (name !== '' && !columns.includes(name))
                      onChange(rows.map((row) => ({ ...row, [name]: null })))
                  }}
                />
              )}
            </TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row, at) => (
            <TableRow key={at}>
              {columns.map((name, column) => (
                <TableCell key={name} onPaste={(event) => paste(event, at, column)}>
                  <TextInput
                    label={`${name}, row ${at + 1}`}
                    mono
                    value={textOf(row[name])}
                    disabled={locked}
                    onChange={(next) => set(at, name, next)}
                  />
                </TableCell>
              ))}
              <TableCell>
                {!locked && rows.length > 1 && (
                  <TakeAway onClick={() => onChange(rows.filter((_, i) => i !== at))} />
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      {!locked && (
        <Button
          style={{ marginTop: 6 }}
          onClick={() => onChange([...rows, Object.fromEntries(columns.map((name) => [name, null]))])}
        >
          Add a row
        </Button>
      )}
    </div>
  )
}

/** The name of a column; a new one is taken over when the field is left. */
function ColumnName({
  name,
  locked,
  onRename,
}: {
  name: string
  locked: boolean
  onRename: (name: string) => void
}): ReactElement {
  const [typed, setTyped] = useState(name)
  return (
    <TextInput
      label={`name of the column ${name}`}
      mono
      value={typed}
      disabled={locked}
      onChange={setTyped}
      onLeave={() => onRename(typed.trim())}
    />
  )
}
