import { Chip, MenuItem, TextField } from '@mui/material'
import type { ReactElement } from 'react'
import { count, numberText } from '../../look/times'
import type { ControlAnswer, View } from './edits'

/** Which rows are seen; the others keep their edits. */
export function Seen({
  table,
  view,
  shown,
  total,
  onView,
}: {
  table: ControlAnswer
  view: View
  shown: number
  total: number
  onView: (view: View) => void
}): ReactElement {
  return (
    <span className="line">
      <TextField
        placeholder="find rows"
        value={view.filter}
        onChange={(event) => onView({ ...view, filter: event.target.value })}
        sx={{ width: 170 }}
        slotProps={{ htmlInput: { 'aria-label': 'find rows' } }}
      />
      <TextField
        select
        value={view.column}
        onChange={(event) => onView({ ...view, column: event.target.value })}
        sx={{ width: 150 }}
        slotProps={{ select: { displayEmpty: true }, htmlInput: { 'aria-label': 'in column' } }}
      >
        <MenuItem value="">in any column</MenuItem>
        {table.columns.map(({ name }) => (
          <MenuItem key={name} value={name}>
            in {name}
          </MenuItem>
        ))}
      </TextField>
      {view.key !== null && (
        <Chip
          label={shown === 0 ? `there is no row ${view.key} any more` : `row ${view.key}`}
          onDelete={() => onView({ ...view, key: null })}
        />
      )}
      <span className="soft">
        {shown === total ? count(total, 'row') : `${numberText(shown)} of ${count(total, 'row')}`}
        {view.sort && `, by ${view.sort.column}${view.sort.down ? ' downward' : ''}`}
      </span>
    </span>
  )
}
