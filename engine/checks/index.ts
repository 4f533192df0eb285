import type pg from 'pg'
import { checkOf, type Check, type CheckKind, type CheckSpec } from '../../core/job/checks'
import { stepFault, type Outcome } from '../context/step'
import type { Checker } from './definition'
import { notNull } from './notNull'
import { rows } from './rows'
import { unique } from './unique'

/** Every kind of check: how it is held. */
const checkers: { readonly [K in CheckKind]: Checker<CheckSpec<K>> } = { unique, not_null: notNull, rows }

function own(check: Check): { checker: Checker<CheckSpec>; spec: CheckSpec } {
  const { kind, spec } = checkOf(check)
  return { checker: checkers[kind] as Checker<CheckSpec>, spec }
}

/**
 * Holds a check against a table or a staging table.
 * @param table as SQL writes it, quoted · @param said what the reader knows it as
 * @throws StepFault `check` with some of the rows that break it
 */
export async function checkTable(
  client: pg.ClientBase,
  table: string,
  said: string,
  check: Check,
  outcome: Outcome,
  on: string,
): Promise<void> {
  const { checker, spec } = own(check)
  await checker.table({ client, table, said, outcome, on }, spec)
}

/** Holds a check against rows that are about to be written into files. @throws StepFault `check` */
export function checkFiles(check: Check, count: number): void {
  const { checker, spec } = own(check)
  if (!checker.files)
    stepFault(
      'check',
      'only the number of rows can be checked before files are written',
      'check them with a check step',
    )
  checker.files(count, spec)
}
