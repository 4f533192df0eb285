import { Temporal } from 'temporal-polyfill'
import { fail } from '../fault'
import type { Row, Table } from '../value'
import { mostRows as most } from './most'

/** A range of numbers or dates, both ends included; `as` names its column. */
export interface Range {
  readonly as: string
  readonly from: string | number
  readonly to: string | number
  readonly step: string | number
}

const isNumber = (value: string | number): boolean =>
  typeof value === 'number' || /^[+-]?(\d+\.?\d*|\.\d+)$/.test(value.trim())

/** A range of numbers or dates, both ends included. @throws FaultError `roster` */
export function rangeTable(range: Range): Table {
  const { as, from, to, step } = range
  const tooMany = (): never =>
    fail('roster', `the range ${from} to ${to} has more than ${most.toLocaleString('en')} values`)
  if (isNumber(from) && isNumber(to)) return numberRange(as, Number(from), Number(to), step, tooMany)
  const rows: Row[] = []
  try {
    const first = Temporal.PlainDate.from(String(from))
    const last = Temporal.PlainDate.from(String(to))
    const every = Temporal.Duration.from(isNumber(step) ? { days: Number(step) } : String(step))
    if (every.sign <= 0) fail('roster', 'a range of dates needs a step forward, such as P1D')
    for (let i = 0; ; i++) {
      // from the first date each time: a month's end stays a month's end
      const date = first.add({
        years: every.years * i,
        months: every.months * i,
        weeks: every.weeks * i,
        days: every.days * i,
      })
      if (Temporal.PlainDate.compare(date, last) > 0) break
      if (i >= most) tooMany()
      rows.push({ [as]: date.toString() })
    }
  } catch (error) {
    if (error instanceof RangeError)
      fail(
        'roster',
        `cannot read the range ${from} to ${to} by ${step}: numbers, or dates such as 2026-11-01`,
      )
    throw error
  }
  return { columns: [{ name: as, type: 'date' }], key: [as], rows }
}

function numberRange(
  as: string,
  from: number,
  to: number,
  step: string | number,
  tooMany: () => never,
): Table {
  const by = Number(step)
  if (!isNumber(step) || by === 0)
    fail('roster', 'a range of numbers needs a step that is a number and not 0')
  const count = Math.floor((to - from) / by + 1e-9) + 1
  if (count > most) tooMany()
  const rows: Row[] = []
  // from + i * step, never a running sum, so that steps like 0.1 do not drift
  for (let i = 0; i < count; i++) rows.push({ [as]: Number((from + i * by).toPrecision(15)) })
  const whole = Number.isInteger(from) && Number.isInteger(by)
  return { columns: [{ name: as, type: whole ? 'integer' : 'number' }], key: [as], rows }
}
