import { Button, Menu, MenuItem } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { csvLine } from '../../../core/files/csvText'
import { readCell } from '../../../core/catalog/rules'
import { field, type Draft } from '../../kit/drafts'
import { type ControlAnswer } from './edits'

/** The rows that are seen, with their unsaved edits, as a file. */
export function TakeOutRows({
  table,
  shown,
}: {
  table: ControlAnswer
  shown: readonly Draft[]
}): ReactElement {
  const [at, setAt] = useState<HTMLElement | null>(null)
  const names = table.columns.map(({ name }) => name)
  const save = (ending: string, type: string, text: string) => {
    setAt(null)
    const address = URL.createObjectURL(new Blob([text], { type }))
    const link = document.createElement('a')
    link.href = address
    link.download = `${table.name}.${ending}`
    link.click()
    URL.revokeObjectURL(address)
  }
  const csv = () =>
    save(
      'csv',
      'text/csv;charset=utf-8',
      [names, ...shown.map((draft) => table.columns.map(({ name }) => draft[field(name)] ?? ''))]
        .map(csvLine)
        .join(''),
    )
  const json = () =>
    save(
      'json',
      'application/json',
      JSON.stringify(
        shown.map((draft) =>
          Object.fromEntries(
            table.columns.map(({ name, type }) => {
              const text = draft[field(name)] ?? ''
              const value = readCell(text, type)
              return [name, value === undefined ? text : value]
            }),
          ),
        ),
        null,
        1,
      ),
    )
  return (
    <>
      <Button aria-haspopup="menu" onClick={(event) => setAt(event.currentTarget)}>
        Take out
      </Button>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        <MenuItem onClick={csv}>as CSV</MenuItem>
        <MenuItem onClick={json}>as JSON</MenuItem>
      </Menu>
    </>
  )
}
