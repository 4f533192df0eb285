import { cellState, type CellState } from '../../../core/coverage/cells'
import { numberText, timeText } from '../../look/times'
import type { CoverageJob, RowLine } from './lines'

/** States of slices in words. */
export const stateWords: Record<CellState, string> = {
  loaded: 'loaded',
  renewed: 'loaded, and a later load failed',
  failed: 'failed',
  skipped: 'skipped',
  stopped: 'stopped',
  running: 'running',
  waiting: 'waiting',
  held: 'held',
  missing: 'nothing loaded',
  before: 'before anything of it was loaded',
  expected: 'over, and its start has not come',
  nothing: 'not asked for',
}

/** The span of a slice as it is said: its label, or, of hours, when it begins and ends. */
export function spanWords({ slices, zone }: CoverageJob, slice: number): string {
  const one = slices[slice]
  if (!one) return ''
  return one.label.includes('T')
    ? `${timeText(one.from, zone)} to ${timeText(one.to, zone).slice(-5)}`
    : one.label
}

/** A slice of a row in one line: what became of it, and with how many rows. */
export function sliceWords({ title, job, row, usual, rejected, said }: RowLine, slice: number): string {
  if (said) return `${title}, ${spanWords(job, slice)}: ${said(slice)}`
  const state = cellState(row.letters[slice] ?? 'N')
  const rows = row.rows[slice] ?? 0
  const lost = rejected.get(slice) ?? 0
  const counted = state === 'loaded' || state === 'renewed' ? `, ${numberText(rows)} rows where ${numberText(Math.round(usual))} are usual${lost > 0 ? `, ${numberText(lost)} rejected` : ''}` : '' // prettier-ignore
  return `${title}, ${spanWords(job, slice)}: ${stateWords[state]}${counted}`
}
