import type pg from 'pg'
import type { Row } from '../../core/value'
import type { Outcome } from '../context/step'

/** A table, or a staging table, that is held to a check. */
export interface Checked {
  readonly client: pg.ClientBase
  /** As SQL writes it, quoted. */
  readonly table: string
  /** What the reader knows it as. */
  readonly said: string
  readonly outcome: Outcome
  /** The connection, for the record. */
  readonly on: string
}

/** A kind of check. core/job/checks/ has the other half. */
export interface Checker<Spec> {
  /** Holds it against a table. @throws StepFault `check` with some of the rows that break it */
  readonly table: (checked: Checked, spec: Spec) => Promise<void>
  /** Holds it against what is about to be written into files, of which the number of rows is known; undefined where it cannot. */
  readonly files?: (rows: number, spec: Spec) => void
}

export const many = (value: number): string => value.toLocaleString('en')

/** Values as text, fit for the record. */
export function textRow(row: Record<string, unknown>): Row {
  return Object.fromEntries(
    Object.entries(row)
      .filter(([name]) => name !== 'mattock_line')
      .map(([name, value]) => [
        name,
        value === null
          ? null
          : value instanceof Date
            ? value.toISOString()
            : typeof value === 'object'
              ? JSON.stringify(value)
              : String(value),
      ]),
  )
}
