import { Button } from '@mui/material'
import { useState, type ClipboardEvent, type ReactElement } from 'react'
import { csvRecords } from '../../../core/files/csvRecords'
import { TakeAway } from '../../parts/TakeAway'

type Scalar = string | number | boolean | null
type TypedRow = Readonly<Record<string, Scalar>>

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
      <table className="plain cells">
        <thead>
          <tr>
            {columns.map((name) => (
              <th key={name}>
                <input
                  key={name}
                  className="mono"
                  aria-label={`name of the column ${name}`}
                  defaultValue={name}
                  disabled={locked}
                  onBlur={({ target }) => rename(name, target.value.trim())}
                />
              </th>
            ))}
            <th>
              {!locked && (
                <input
                  className="mono"
                  aria-label="a column more"
                  placeholder="a column more"
                  value={adding}
                  onChange={(event) => setAdding(event.target.value)}
                  onBlur={() => {
                    const name = adding.trim()
                    setAdding('')
                    if (name !== '' && !columns.includes(name))
                      onChange(rows.map((row) => ({ ...row, [name]: null })))
                  }}
                />
              )}
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, at) => (
            <tr key={at}>
              {columns.map((name, column) => (
                <td key={name}>
                  <input
                    className="mono"
                    aria-label={`${name}, row ${at + 1}`}
                    value={textOf(row[name])}
                    disabled={locked}
                    onChange={(event) => set(at, name, event.target.value)}
                    onPaste={(event) => paste(event, at, column)}
                  />
                </td>
              ))}
              <td>
                {!locked && rows.length > 1 && (
                  <TakeAway onClick={() => onChange(rows.filter((_, i) => i !== at))} />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
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
