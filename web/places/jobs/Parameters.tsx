import { MenuItem, TextField } from '@mui/material'
import type { ReactElement } from 'react'
import type { OutlineAnswer } from './answers'

/** The values that were filled in; a field left empty gives none, so that the default counts. */
export const valuesGiven = (outline: OutlineAnswer, values: Readonly<Record<string, string>>) =>
  Object.fromEntries(outline.parameters.flatMap(({ name }) => (values[name] ? [[name, values[name]]] : [])))

/** A field for each parameter of a job. */
export function Parameters({
  outline,
  values,
  onValues,
}: {
  outline: OutlineAnswer
  values: Readonly<Record<string, string>>
  onValues: (values: Record<string, string>) => void
}): ReactElement {
  return (
    <>
      {outline.parameters.map((parameter) => (
        <TextField
          key={parameter.name}
          label={parameter.name}
          select={parameter.oneOf !== null}
          value={values[parameter.name] ?? ''}
          required={parameter.required}
          onChange={(event) => onValues({ ...values, [parameter.name]: event.target.value })}
          sx={{ width: 130 }}
          slotProps={{ inputLabel: { shrink: true } }}
        >
          {parameter.oneOf?.map((option) => (
            <MenuItem key={String(option)} value={String(option)}>
              {String(option)}
            </MenuItem>
          ))}
        </TextField>
      ))}
    </>
  )
}
