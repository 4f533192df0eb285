import type pg from 'pg'
import type { Row } from '../../core/value'
import type { Outcome, StepContext, TextOf } from '../context/step'

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
  /** Another table of the same database, `schema.table`, as SQL reads it: its stand-in, where a try has one. */
  readonly other?: (table: string) => Promise<string>
}

/** The table of a step of its own. */
export interface CheckedAlone extends Checked {
  readonly context: StepContext
  /** The texts of the check, by their path below it. */
  readonly text: TextOf
  /** A SELECT on the database, as it reads: with stand-ins, where a try has some. */
  readonly own: (text: string) => Promise<string>
}

/** What became of a check. */
export interface Verdict {
  /** Why it does not hold; undefined where it does. */
  readonly why?: string
  /** What to do where it does not. */
  readonly advice?: string
  /** Some of the rows that break it. */
  readonly rows?: readonly Row[]
  /** The number that was counted, where later checks go by it. */
  readonly found?: number
  /** What is to be said though it holds. */
  readonly note?: string
}

/** A kind of check. core/job/checks/ has the other half. */
export interface Checker<Spec> {
  /** Holds it against a table, or against rows that are about to be written. */
  readonly table?: (checked: Checked, spec: Spec) => Promise<Verdict>
  /** Holds it within a step of its own, where it asks for more than the rows of the table. */
  readonly alone?: (checked: CheckedAlone, spec: Spec) => Promise<Verdict>
  /** Holds it against what is about to be written into files, of which the number of rows is known; undefined where it cannot. */
  readonly files?: (rows: number, spec: Spec) => Verdict
}

export const holds: Verdict = {}

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
