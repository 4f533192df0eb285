import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { formatText } from '../../../core/catalog/found'
import { bytesText, count } from '../../look/times'
import { ChangeLines, evidenceText, TypeText, type FoundColumn } from '../catalog/SchemaColumns'
import { Table, type TableColumn } from '../../kit/Table'
import type { Proposal } from './answers'

/** What a proposal found: its columns with the evidence behind each type. */
export function ProposalDetail({ proposal }: { proposal: Proposal }): ReactElement {
  const { found, change, known, datasetId } = proposal
  const columns: readonly TableColumn<FoundColumn>[] = [
    { id: 'name', title: 'column', width: 'minmax(110px, 1fr)', mono: true, cell: ({ name, unnamed }) => (unnamed ? <span className="look">{name}</span> : name), hint: ({ name, unnamed }) => (unnamed ? `${name}: there is no header, you can name it` : name) },
    { id: 'type', title: 'type', width: 'minmax(100px, 0.8fr)', cell: (column) => <TypeText column={column} /> },
    { id: 'why', title: 'why', width: 'minmax(160px, 2fr)', cell: (column) => <span className="soft">{evidenceText(column, found?.files)}</span>, hint: (column) => evidenceText(column, found?.files) },
  ] // prettier-ignore
  return (
    <div className="stack">
      <section className="sheet" aria-label="the dataset">
        <h2>
          <span className="mono">{known ?? found?.name}</span>{' '}
          {datasetId !== null && (
            <small>
              <Link to={`/catalog/${datasetId}`}>as it is known</Link>
            </small>
          )}
        </h2>
        {found && (
          <div className="soft">
            <span className="mono">{found.locator}</span> ·{' '}
            {found.format ? formatText(found.format) : found.kind}
            {found.files !== undefined && ` · ${count(found.files, 'file')}`}
            {found.bytes !== undefined && ` · ${bytesText(found.bytes)}`}
            {found.rows !== undefined && ` · ${found.estimated ? '≈ ' : ''}${count(found.rows, 'row')}`}
            {found.broken !== undefined && (
              <span className="look"> · {count(found.broken, 'line')} cannot be read</span>
            )}
            {found.key.length > 0 && ` · key ${found.key.join(', ')}`}
          </div>
        )}
        {found?.comment && <div>{found.comment}</div>}
        {change && <ChangeLines change={change} />}
        {!found && (
          <span className="soft">
            It was not found where it was. Accepting this marks it as gone; nothing is deleted.
          </span>
        )}
      </section>
      {found && (
        <div className="sheet flush rows grow">
          <Table
            label="columns"
            columns={columns}
            total={found.columns.length}
            row={(i) => found.columns[i]}
          />
        </div>
      )}
    </div>
  )
}
