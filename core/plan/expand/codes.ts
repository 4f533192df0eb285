import type { FindingCode } from '../types'

/** Codes of faults that are codes of findings, too; what else goes wrong is an expression that cannot be worked out. */
export function findingCode(code: string): FindingCode {
  const own = ['unknown-name', 'empty-value', 'outside-store', 'connection', 'roster'] as const
  return own.find((known) => known === code) ?? 'expression'
}
