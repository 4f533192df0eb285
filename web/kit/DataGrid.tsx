import { useMemo, type ReactElement } from 'react'
import { Table, type TableColumn } from './Table'
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
  const drawn = useMemo<TableColumn<Line>[]>(
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
          width: `${Math.min(320, Math.max(70, 34 + 7.4 * Math.max(longest, type ? name.length + type.length : 0)))}px`,
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
          value: (row) =>
            number && row[i] !== null && row[i] !== undefined ? Number(row[i]) : (row[i] ?? null),
        }
      }),
    [columns, rows],
  )
  return (
    <Table
      label={label}
      columns={drawn}
      rows={rows}
      {...(height === undefined ? {} : { height })}
      empty={<Empty>There are no rows.</Empty>}
    />
  )
}
