import { Button, Checkbox, Menu, MenuItem } from '@mui/material'
import { useState, type ReactElement } from 'react'

interface Props {
  readonly columns: readonly { readonly id: string; readonly label: string }[]
  readonly hidden: ReadonlySet<string>
  readonly onChange: (hidden: ReadonlySet<string>) => void
}

/** Which columns a table shows. */
export function ColumnChooser({ columns, hidden, onChange }: Props): ReactElement {
  const [at, setAt] = useState<HTMLElement | null>(null)
  const toggle = (id: string) => {
    const next = new Set(hidden)
    if (!next.delete(id)) next.add(id)
    onChange(next)
  }
  return (
    <>
      <Button aria-haspopup="menu" onClick={(event) => setAt(event.currentTarget)}>
        Columns
      </Button>
      <Menu open={at !== null} anchorEl={at} onClose={() => setAt(null)}>
        {columns.map(({ id, label }) => (
          <MenuItem
            key={id}
            role="menuitemcheckbox"
            aria-checked={!hidden.has(id)}
            onClick={() => toggle(id)}
          >
            <Checkbox
              checked={!hidden.has(id)}
              tabIndex={-1}
              sx={{ p: 0, mr: 1, '& svg': { fontSize: 17 } }}
              slotProps={{ input: { 'aria-hidden': true } }}
            />
            {label}
          </MenuItem>
        ))}
      </Menu>
    </>
  )
}
