import { TextField } from '@mui/material'
import type { ReactElement } from 'react'
import { DayInput } from '../../kit/dates'

/** The start of the slice that is looked at: a day where slices are days, else as the job writes it. */
export function SliceInput({
  every,
  value,
  onChange,
}: {
  readonly every: string | undefined
  readonly value: string
  readonly onChange: (value: string) => void
}): ReactElement {
  if (every === 'P1D') return <DayInput label="and the slice from" value={value} onChange={onChange} />
  return (
    <TextField
      label="and the slice from"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      slotProps={{ inputLabel: { shrink: true } }}
      sx={{ width: 160 }}
    />
  )
}
