import { Choice, Flag, TextInput } from '../../kit/controls'
import { Lines } from '../../kit/Lines'
import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { valueTypes, type Column } from '../../../core/value'
import { TakeAway } from '../../kit/TakeAway'

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
      <Lines style={{ width: 'auto' }}>
        <TableHead>
          <TableRow>
            <TableCell>column</TableCell>
            <TableCell>type</TableCell>
            <TableCell>part of the key</TableCell>
            <TableCell />
          </TableRow>
        </TableHead>
        <TableBody>
          {columns.map((column, at) => (
            <TableRow key={at}>
              <TableCell>
                {fixed ? (
                  <span className="mono">{column.name}</span>
                ) : (
                  <TextInput
                    label={`name of column ${at + 1}`}
                    mono
                    width={180}
                    value={column.name}
                    onChange={(name) => set(at, { name })}
                  />
                )}
              </TableCell>
              <TableCell>
                <Choice
                  label={`type of ${column.name}`}
                  value={column.type}
                  disabled={fixed}
                  options={valueTypes.map((type) => [type, type] as const)}
                  onChange={(type) => set(at, { type })}
                />
              </TableCell>
              <TableCell>
                <Flag
                  label={`${column.name} is part of the key`}
                  checked={keyColumns.includes(column.name)}
                  onChange={(on) =>
                    onKey(
                      on ? [...keyColumns, column.name] : keyColumns.filter((name) => name !== column.name),
                    )
                  }
                />
              </TableCell>
              <TableCell>
                {!fixed && (
                  <TakeAway
                    onClick={() => {
                      onChange(columns.filter((_, i) => i !== at))
                      onKey(keyColumns.filter((name) => name !== column.name))
                    }}
                  />
                )}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      {!fixed && (
        <Button onClick={() => onChange([...columns, { name: '', type: 'text' }])} style={{ marginTop: 6 }}>
          Add a column
        </Button>
      )}
    </div>
  )
}
