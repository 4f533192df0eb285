import { CellInput, Choice, Tick } from '../../kit/controls'
import { Button } from '@mui/material'
import { useCallback, useMemo, useRef, useState, type ReactElement } from 'react'
import { isRelation } from '../../../core/catalog/datasetKinds'
import { readingText, sameReading } from '../../../core/files/valueReading'
import { valueTypes, type ValueType } from '../../../core/value'
import { useMayChange } from '../../data/session'
import { useKeys } from '../../kit/keys'
import { Table, type TableColumn } from '../../kit/Table'
import { evidenceText, TypeText } from './SchemaColumns'
import type { DatasetData } from './answers'
import { Written } from './Written'

type Column = DatasetData['columns'][number]
type Edits = DatasetData['edits']

/** The columns with the evidence for their types; in editing, names, types, descriptions and the key are set in one pass. */
export function Columns({
  data,
  onSave,
}: {
  data: DatasetData
  onSave: (edit: { edits: Edits; key?: string[] | null }) => Promise<unknown>
}): ReactElement {
  const mayChange = useMayChange()
  const [edits, setEdits] = useState<Edits>()
  const [key, setKey] = useState<readonly string[]>(data.key)
  const [chosen, setChosen] = useState<Column>()
  const sheet = useRef<HTMLDivElement>(null)
  const editing = edits !== undefined
  /** How values are written is asked of what is read as text. */
  const written = editing && !isRelation(data.kind)
  const found = useMemo(() => data.columns, [data.columns])
  const unnamed = found.filter((column) => column.unnamed).length
  const begin = useCallback(() => {
    setEdits(data.edits)
    setKey(data.key)
    // the first name is ready to be typed over
    requestAnimationFrame(() => sheet.current?.querySelector<HTMLInputElement>('input.name')?.select())
  }, [data.edits, data.key])
  const change = (source: string, what: 'name' | 'description', value: string) => {
    const before = edits?.[source] ?? {}
    const { [what]: _, ...rest } = before
    // a name that is emptied stays so while it is typed; what is empty at last is as it was found
    const none = what === 'name' ? value === source : value === ''
    const next = none ? rest : { ...rest, [what]: value }
    setEdits({ ...edits, [source]: next as Edits[string] })
  }
  /** A type as found or by hand; `asked 1` is the second of the ways in which the values can be read. */
  const changeType = ({ source, verdict }: Column, value: string) => {
    const { type: _, reading: __, ...rest } = edits?.[source] ?? {}
    const choice = /^asked /.test(value) ? verdict?.asked?.[Number(value.slice(6))] : undefined
    const next = choice ?? (value === '' ? {} : { type: value as ValueType })
    setEdits({ ...edits, [source]: { ...rest, ...next } as Edits[string] })
  }
  const typeOf = ({ source, verdict }: Column): string => {
    const { type = '', reading } = edits?.[source] ?? {}
    const asked = (verdict?.asked ?? []).findIndex(
      (choice) => choice.type === type && sameReading(choice.reading, reading),
    )
    return asked < 0 ? type : `asked ${asked}`
  }
  const nameOf = (column: Column): string => edits?.[column.source]?.name ?? column.source
  const save = () => {
    const given = Object.fromEntries(
      Object.entries(edits!).flatMap(([source, edit]) => {
        const { name, ...rest } = edit
        const kept = name ? edit : rest
        return Object.keys(kept).length > 0 ? [[source, kept] as const] : []
      }),
    )
    const names = new Map(found.map((column) => [column.name, nameOf(column) || column.source]))
    const next = key.map((name) => names.get(name) ?? name)
    const same = next.join('\n') === data.key.join('\n')
    void onSave({ edits: given, ...(same ? {} : { key: next }) }).then(() => setEdits(undefined))
  }
  const keys = useMemo(
    (): Record<string, () => void> => (mayChange && !editing ? { e: begin } : {}),
    [mayChange, editing, begin],
  )
  useKeys(keys)
  const columns: readonly TableColumn<Column>[] = [
    {
      id: 'name', title: 'column', width: 'minmax(130px, 1.1fr)', mono: true,
      cell: (column) =>
        editing ? (
          <CellInput group="name" label={`name of ${column.source}`} value={nameOf(column)} onChange={(name) => change(column.source, 'name', name)} />
        ) : (
          <>
            {column.unnamed ? <span className="look">{column.name}</span> : column.name}
            {column.byHand.includes('name') && <span className="soft"> {column.source}</span>}
          </>
        ),
      hint: (column) => (column.unnamed ? `${column.name}: there is no header; give it a name` : column.name),
    },
    {
      id: 'key', title: 'key', width: '40px',
      cell: (column) =>
        editing ? (
          <Tick label={`${column.name} is of the key`} checked={key.includes(column.name)} onChange={() => setKey(key.includes(column.name) ? key.filter((name) => name !== column.name) : [...key, column.name])} />
        ) : data.key.includes(column.name) ? 'key' : '',
    },
    {
      id: 'type', title: 'type', width: 'minmax(120px, 1fr)',
      cell: (column) =>
        editing ? (
          <Choice label={`type of ${column.name}`} value={typeOf(column)} options={[['', column.byHand.includes('type') ? 'as found' : `${column.type}, as found`], ...(column.verdict?.asked ?? []).map(({ type, reading }, i) => [`asked ${i}`, `${type}, ${readingText(reading)}`] as const), ...valueTypes.map((type) => [type, type] as const)]} onChange={(value) => changeType(column, value)} />
        ) : (
          <>
            <TypeText column={column} />
            {(column.byHand.includes('type') || column.byHand.includes('reading')) && <span className="soft"> by hand</span>}
          </>
        ),
    },
    {
      id: 'description', title: 'description', width: 'minmax(110px, 1fr)',
      cell: (column) =>
        editing ? (
          <CellInput group="description" label={`description of ${column.name}`} value={edits[column.source]?.description ?? ''} placeholder={column.comment ?? ''} onChange={(text) => change(column.source, 'description', text)} />
        ) : (
          (column.description ?? column.comment ?? '')
        ),
      hint: (column) => column.description ?? column.comment,
    },
    {
      id: 'why', title: written ? 'written' : 'why', width: 'minmax(150px, 1.6fr)',
      cell: (column) =>
        written ? (
          <Written name={column.name} type={edits[column.source]?.type ?? column.type} reading={edits[column.source]?.reading ?? column.reading ?? {}} onChange={(reading) => setEdits({ ...edits, [column.source]: { ...edits[column.source], reading } as Edits[string] })} />
        ) : (
          <span className="soft">{evidenceText(column, data.files ?? undefined)}</span>
        ),
      hint: (column) => evidenceText(column, data.files ?? undefined),
    },
  ] // prettier-ignore
  // a database says the types itself; there is no evidence to show
  const shown =
    written || found.some((column) => column.verdict || column.fromFolder)
      ? columns
      : columns.filter(({ id }) => id !== 'why')
  return (
    <>
      {mayChange && (
        <div className="line">
          {unnamed > 0 && !editing && (
            <span className="look">
              {unnamed === 1 ? 'One column has no name.' : `${unnamed} columns have no name.`}
            </span>
          )}
          <span style={{ marginLeft: 'auto' }} className="line">
            {editing ? (
              <>
                <span className="soft">Enter goes to the next name</span>
                <Button onClick={() => setEdits(undefined)}>Leave as it was</Button>
                <Button variant="contained" color="primary" onClick={save}>
                  Save
                </Button>
              </>
            ) : (
              <Button onClick={begin} aria-keyshortcuts="e">
                {unnamed > 0 ? 'Name the columns' : 'Edit the columns'}
              </Button>
            )}
          </span>
        </div>
      )}
      <div className="sheet flush rows grow cells" ref={sheet}>
        <Table
          label="columns"
          columns={shown}
          total={found.length}
          row={(i) => found[i]}
          rowHeight={editing ? 32 : 29}
          onCurrent={setChosen}
        />
      </div>
      {chosen && (
        <div className="soft" role="status">
          <b className="mono">{chosen.name}</b> {chosen.type}:{' '}
          {evidenceText(chosen, data.files ?? undefined) || 'as its database says'}
        </div>
      )}
    </>
  )
}
