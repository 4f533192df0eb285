import { checkOf, checkText, type Check, type CheckKind, type CheckSpec } from '../../core/job/checks'
import type { CheckRecord } from '../../database/schema'
import { stepFault, type Outcome } from '../context/step'
import { many, type Checked, type CheckedAlone, type Checker, type Verdict } from './definition'
import { equals } from './equals'
import { inRange } from './inRange'
import { none } from './none'
import { notNull } from './notNull'
import { oneOf } from './oneOf'
import { pattern } from './pattern'
import { references } from './references'
import { rows } from './rows'
import { total } from './total'
import { unique } from './unique'
import { usual } from './usual'

/** Every kind of check: how it is held. */
const checkers: { readonly [K in CheckKind]: Checker<CheckSpec<K>> } = {
  unique,
  not_null: notNull,
  one_of: oneOf,
  in_range: inRange,
  pattern,
  references,
  rows,
  usual,
  none,
  equals,
  total,
}

function own(check: Check): { kind: CheckKind; checker: Checker<CheckSpec>; spec: CheckSpec } {
  const { kind, spec } = checkOf(check)
  return { kind, checker: checkers[kind] as Checker<CheckSpec>, spec }
}

/**
 * Holds checks against rows that are about to be written: a staging table.
 * @throws StepFault `check` with what does not hold, and some of the rows that break it
 */
export async function checkRows(checks: readonly Check[], checked: Checked): Promise<void> {
  const records: CheckRecord[] = []
  for (const check of checks) {
    const { checker, spec } = own(check)
    records.push(keep(checked.outcome, check, await checker.table!(checked, spec)))
  }
  failWhere(records)
}

/** Holds checks within a step of its own; all of them, whatever becomes of the first. */
export async function checkStep(
  checks: readonly Check[],
  checkedAt: (at: number, kind: CheckKind) => CheckedAlone,
): Promise<CheckRecord[]> {
  const records: CheckRecord[] = []
  for (const [at, check] of checks.entries()) {
    const { kind, checker, spec } = own(check)
    const checked = checkedAt(at, kind)
    const verdict = await (checker.alone ? checker.alone(checked, spec) : checker.table!(checked, spec))
    records.push(keep(checked.outcome, check, verdict))
  }
  return records
}

/** Holds checks against rows that are about to be written into files. @throws StepFault `check` */
export function checkFiles(checks: readonly Check[], count: number, outcome: Outcome): void {
  failWhere(
    checks.map((check) => {
      const { checker, spec } = own(check)
      if (!checker.files)
        stepFault(
          'check',
          'only the number of rows can be checked before files are written',
          'check them with a check step',
        )
      return keep(outcome, check, checker.files(count, spec))
    }),
  )
}

/** Keeps what became of a check. */
function keep(outcome: Outcome, check: Check, { why, advice, rows, found, note }: Verdict): CheckRecord {
  const record: CheckRecord = {
    kind: checkOf(check).kind,
    text: checkText(check),
    holds: why === undefined,
    ...(why === undefined ? {} : { why, advice: advice ?? 'look at the source' }),
    ...(rows && { rows }),
    ...(found !== undefined && { found }),
    ...(note !== undefined && { note }),
  }
  outcome.checks.push(record)
  return record
}

/** @throws StepFault `check` where some do not hold: what each says, and rows of the first that has some */
export function failWhere(records: readonly CheckRecord[]): void {
  const broken = records.filter((record) => !record.holds)
  const [first] = broken
  if (!first) return
  const message =
    broken.length === 1
      ? first.why!
      : `${many(broken.length)} of ${many(records.length)} checks do not hold: ${broken.map(({ why }) => why).join('; ')}`
  stepFault('check', message, first.advice!, broken.find(({ rows }) => rows)?.rows)
}
