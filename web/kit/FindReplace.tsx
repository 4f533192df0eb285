import { Button, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material'
import { useMemo, useState, type FormEvent, type ReactElement } from 'react'
import { count } from '../look/times'
import { replaceIn, type Draft, type Replacing } from './drafts'

/** Find and replace over a column, or all of them, in the rows that are seen. */
export function FindReplace({
  columns,
  drafts,
  ids,
  onReplace,
  onClose,
}: {
  columns: readonly string[]
  drafts: readonly Draft[]
  ids: readonly number[]
  onReplace: (drafts: Draft[]) => void
  onClose: () => void
}): ReactElement {
  const [asked, setAsked] = useState<Replacing>({ find: '', by: '', column: '', whole: false })
  const shown = useMemo(() => new Set(ids), [ids])
  const found = useMemo(() => replaceIn(columns, drafts, shown, asked), [columns, drafts, shown, asked])
  const set = (change: Partial<Replacing>) => setAsked({ ...asked, ...change })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (found.cells > 0) onReplace(found.drafts)
  }
  const label = { inputLabel: { shrink: true } }
  return (
    <form
      className="sheet line"
      onSubmit={submit}
      aria-label="find and replace"
      style={{ flexWrap: 'wrap', flex: 'none' }}
    >
      <TextField
        label="find"
        value={asked.find}
        autoFocus
        onChange={(event) => set({ find: event.target.value })}
        sx={{ width: 170 }}
        slotProps={label}
      />
      <TextField
        label="put in its place"
        value={asked.by}
        onChange={(event) => set({ by: event.target.value })}
        sx={{ width: 170 }}
        slotProps={label}
      />
      <TextField
        select
        label="in"
        value={asked.column}
        onChange={(event) => set({ column: event.target.value })}
        sx={{ width: 140 }}
        slotProps={{ ...label, select: { displayEmpty: true } }}
      >
        <MenuItem value="">any column</MenuItem>
        {columns.map((name) => (
          <MenuItem key={name} value={name}>
            {name}
          </MenuItem>
        ))}
      </TextField>
      <FormControlLabel
        control={
          <Checkbox
            checked={asked.whole}
            onChange={(event) => set({ whole: event.target.checked })}
            sx={{ py: 0 }}
          />
        }
        label="whole cells only"
      />
      <Button type="submit" variant="contained" color="primary" disabled={found.cells === 0}>
        {found.cells === 0 ? 'Replace' : `Replace in ${count(found.cells, 'cell')}`}
      </Button>
      <Button onClick={onClose}>Close</Button>
      <span className="soft">
        {asked.find === ''
          ? 'in the rows that are seen'
          : found.cells === 0
            ? 'nothing would change'
            : 'not saved until you save'}
      </span>
    </form>
  )
}
