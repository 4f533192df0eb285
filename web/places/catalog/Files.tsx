import { useCallback, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { usePages } from '../../data/pages'
import { bytesText, numberText, timeText } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { Table, type TableColumn } from '../../kit/Table'

type File = Answer<typeof routes.datasetFiles>['files'][number]

const columns: readonly TableColumn<File>[] = [
  { id: 'path', title: 'file', width: 'minmax(220px, 2fr)', mono: true, cell: ({ path }) => path, hint: ({ path }) => path },
  { id: 'rows', title: 'rows', width: '90px', number: true, cell: ({ rows }) => (rows === null ? '' : numberText(rows)) },
  { id: 'broken', title: 'cannot be read', width: '110px', number: true, cell: ({ broken }) => (broken > 0 ? <span className="look">{numberText(broken)}</span> : '') },
  { id: 'size', title: 'size', width: '84px', number: true, cell: ({ size }) => bytesText(size) },
  { id: 'modified', title: 'changed', width: '120px', cell: ({ modified }) => timeText(modified) },
] // prettier-ignore

export function Files({ id }: { id: number }): ReactElement {
  const fetchPage = useCallback(
    async (offset: number, limit: number) => {
      const { total, files } = await call(routes.datasetFiles, { params: { id }, query: { offset, limit } })
      return { total, rows: files }
    },
    [id],
  )
  const pages = usePages(`/api/datasets/${id}/files`, fetchPage)
  if (pages.error) return <FaultBox error={pages.error} />
  return (
    <div className="sheet flush rows grow">
      <Table
        label="files"
        columns={columns}
        total={pages.total ?? 0}
        row={pages.row}
        onSeen={pages.onSeen}
        empty={<Empty>No file is known.</Empty>}
      />
    </div>
  )
}
