import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { valueTypes, type Column, type ValueType } from '../../core/value'
import { TakeAway } from './TakeAway'

/** The columns of a control table that is to be made: names, types, and which tell its rows apart. */
export function ControlColumns({
  columns,
  keyColumns,
  fixed,
  onChange,
  onKey,
}: {
  columns: readonly Column[]
  keyColumns: readonly string[]
  /** Names come from the rows; types may still be set. */
  fixed: boolean
  onChange: (columns: readonly Column[]) => void
  onKey: (key: readonly string[]) => void
}): ReactElement {
  const set = (at: number, change: Partial<Column>) => {
    const before = columns[at]!.name
    onChange(columns.map((column, i) => (i === at ? { ...column, ...change } : column)))
    if (change.name !== undefined) onKey(keyColumns.map((name) => (name === before ? change.name! : name)))
  }
  return (
    <div style={{ maxHeight: 210, overflow: 'auto' }} tabIndex={0} role="region" aria-label="columns">
      <table className="plain cells" style={{ width: 'auto' }}>
        <thead>
          <tr>
            <th>column</th>
            <th>type</th>
            <th>part of the key</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {columns.map((column, at) => (
            <tr key={at}>
              <td>
                {fixed ? (
                  <span className="mono">{column.name}</span>
                ) : (
                  <input
                    className="mono"
                    aria-label={`name of column ${at + 1}`}
                    value={column.name}
                    onChange={(event) => set(at, { name: event.target.value })}
                  />
                )}
              </td>
              <td>
                <select
                  aria-label={`type of ${column.name}`}
                  value={column.type}
                  disabled={fixed}
                  onChange={(event) => set(at, { type: event.target.value as ValueType })}
                >
                  {valueTypes.map((type) => (
                    <option key={type}>{type}</option>
                  ))}
                </select>
              </td>
              <td>
                <input
                  type="checkbox"
                  aria-label={`${column.name} is part of the key`}
                  checked={keyColumns.includes(column.name)}
                  onChange={(event) =>
                    onKey(
                      event.target.checked
                        ? [...keyColumns, column.name]
                        : keyColumns.filter((name) => name !== column.name),
                    )
                  }
                />
              </td>
              <td>
                {!fixed && (
                  <TakeAway
                    onClick={() => {
                      onChange(columns.filter((_, i) => i !== at))
                      onKey(keyColumns.filter((name) => name !== column.name))
                    }}
                  />
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {!fixed && (
        <Button onClick={() => onChange([...columns, { name: '', type: 'text' }])} style={{ marginTop: 6 }}>
          Add a column
        </Button>
      )}
    </div>
  )
}
