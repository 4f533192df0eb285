import { DatePicker } from '@mui/x-date-pickers/DatePicker'
import { DateTimePicker } from '@mui/x-date-pickers/DateTimePicker'
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider'
import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs'
import { Button } from '@mui/material'
import dayjs from 'dayjs'
import type { ReactElement, ReactNode } from 'react'

/** How days are written: as the standard has it (ISO 8601), the same for everybody who reads a plan. */
const dayFormat = 'YYYY-MM-DD'

const Dates = ({ children }: { children: ReactNode }): ReactElement => (
  <LocalizationProvider dateAdapter={AdapterDayjs}>{children}</LocalizationProvider>
)

const text = (value: dayjs.Dayjs | null, format: string): string =>
  value?.isValid() ? value.format(format) : ''

/** A day, `2026-11-25`; '' where there is none, or none yet. */
export function DayInput({
  label,
  value,
  onChange,
  wrong = false,
  width = 146,
}: {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly wrong?: boolean
  readonly width?: number
}): ReactElement {
  return (
    <Dates>
      <DatePicker
        label={label}
        format={dayFormat}
        value={value === '' ? null : dayjs(value)}
        onChange={(next) => onChange(text(next, dayFormat))}
        slotProps={{ textField: { size: 'small', error: wrong, sx: { width } } }}
      />
    </Dates>
  )
}

/** A point in time in the browser's zone, `2026-11-25T18:04`; '' where there is none. */
export function TimeInput({
  label,
  value,
  onChange,
  width = 230,
}: {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly width?: number
}): ReactElement {
  return (
    <Dates>
      <DateTimePicker
        label={label}
        ampm={false}
        format={`${dayFormat} HH:mm`}
        value={value === '' ? null : dayjs(value)}
        onChange={(next) => onChange(text(next, 'YYYY-MM-DDTHH:mm'))}
        slotProps={{
          // without a value its format stands in it
          textField: { size: 'small', sx: { width }, slotProps: { inputLabel: { shrink: true } } },
          field: { clearable: true },
        }}
      />
    </Dates>
  )
}

/** The spans that are asked for most, both ends included. */
const usual: readonly (readonly [string, (today: dayjs.Dayjs) => readonly [dayjs.Dayjs, dayjs.Dayjs]])[] = [
  ['yesterday', (today) => [today.subtract(1, 'day'), today.subtract(1, 'day')]],
  ['last 7 days', (today) => [today.subtract(7, 'day'), today.subtract(1, 'day')]],
  ['this month', (today) => [today.startOf('month'), today]],
]

/** From a day to a day, both included, with the spans that are asked for most. */
export function DaySpan({
  first,
  last,
  onChange,
}: {
  readonly first: string
  readonly last: string
  readonly onChange: (first: string, last: string) => void
}): ReactElement {
  const count = first === '' || last === '' ? 0 : dayjs(last).diff(dayjs(first), 'day') + 1
  return (
    <span className="line" style={{ flexWrap: 'wrap' }}>
      <DayInput label="first day" value={first} onChange={(next) => onChange(next, last)} />
      <DayInput label="last day" value={last} wrong={count < 1} onChange={(next) => onChange(first, next)} />
      <span className="line" style={{ gap: 0 }}>
        {usual.map(([words, span]) => (
          <Button
            key={words}
            variant="text"
            onClick={() => {
              const [from, to] = span(dayjs())
              onChange(from.format(dayFormat), to.format(dayFormat))
            }}
          >
            {words}
          </Button>
        ))}
      </span>
      <span className={count < 1 ? 'bad' : 'soft'}>
        {first === '' || last === ''
          ? 'both days are needed'
          : count < 1
            ? 'the last day is before the first'
            : count === 1
              ? '1 day'
              : `${count} days`}
      </span>
    </span>
  )
}
