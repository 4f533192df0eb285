import { useMemo, type ReactElement } from 'react'
import { Rows, type RowsColumn } from './Rows'
import { Empty } from './Fault'

type Line = readonly (string | null)[]

/** Rows of somebody's data, as texts; what is not there is drawn, not left blank. */
export function DataGrid({
  label,
  columns,
  rows,
  height,
}: {
  label: string
  columns: readonly { readonly name: string; readonly type?: string }[]
  rows: readonly Line[]
  height?: number | string
}): ReactElement {
  const drawn = useMemo<RowsColumn<Line>[]>(
    () =>
      columns.map(({ name, type }, i) => {
        const longest = rows.reduce((most, row) => Math.max(most, row[i]?.length ?? 0), name.length)
        const number = type ? /int|double|decimal|numeric|real|float/i.test(type) : false
        return {
          id: `${i} ${name}`,
          title: (
            <span title={type}>
              {name} {type && !/char|text/i.test(type) && <span className="soft type">{type}</span>}
            </span>
          ),
          width: `${Math.min(320, Math.max(70, 24 + 7.4 * Math.max(longest, type ? name.length + type.length : 0)))}px`,
          mono: true,
          number,
          cell: (row) =>
            row[i] === null ? (
              <span className="absent">—</span>
            ) : row[i] === '' ? (
              <span className="absent">empty</span>
            ) : (
              row[i]
            ),
          hint: (row) => row[i] ?? 'not there',
        }
      }),
    [columns, rows],
  )
  return (
    <Rows
      label={label}
      columns={drawn}
      total={rows.length}
      row={(i) => rows[i]}
      {...(height === undefined ? {} : { height })}
      empty={<Empty>There are no rows.</Empty>}
    />
  )
}
