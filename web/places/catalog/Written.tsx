import type { ReactElement } from 'react'
import type { ValueReading } from '../../../core/files/valueReading'
import type { ValueType } from '../../../core/value'
import { CellInput, Choice } from '../../kit/controls'

/** Ways of writing numbers, by how 1234.5 is written so. */
const numbers: readonly (readonly [string, ValueReading, string])[] = [
  ['plain', {}, '1234.5'],
  ['comma', { decimal: ',' }, '1234,5'],
  ['commas', { thousands: ',' }, '1,234.5'],
  ['points', { thousands: '.', decimal: ',' }, '1.234,5'],
  ['blanks', { thousands: ' ', decimal: ',' }, '1 234,5'],
  ['blanks-point', { thousands: ' ' }, '1 234.5'],
  ['apostrophes', { thousands: "'" }, '1’234.5'],
]

/** How the values of a column are written: for numbers one of a few ways, for days and times a pattern. */
export function Written({
  name,
  type,
  reading,
  onChange,
}: {
  name: string
  type: ValueType
  reading: ValueReading
  onChange: (reading: ValueReading) => void
}): ReactElement | null {
  if (type === 'date' || type === 'time' || type === 'timestamp') {
    const { dates: _, ...rest } = reading
    return (
      <CellInput
        group="written"
        label={`pattern of ${name}`}
        value={(reading.dates ?? []).join(' or ')}
        placeholder="ISO 8601, or d.M.yyyy …"
        onChange={(text) => {
          const dates = text.split(' or ').filter((pattern) => pattern.trim() !== '')
          onChange(dates.length > 0 ? { ...rest, dates } : rest)
        }}
      />
    )
  }
  if (type !== 'decimal' && type !== 'number' && type !== 'integer') return null
  const { decimal, thousands, ...rest } = reading
  const [now] =
    numbers.find(([, way]) => way.decimal === decimal && way.thousands === thousands) ?? numbers[0]!
  return (
    <Choice
      label={`how numbers of ${name} are written`}
      value={now}
      options={numbers.map(([id, , example]) => [id, `written ${example}`] as const)}
      onChange={(id) => onChange({ ...rest, ...numbers.find(([one]) => one === id)![1] })}
    />
  )
}
