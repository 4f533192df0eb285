import { quantile } from '../../../core/forecast/quantile'
import { count } from '../../../core/text/someOf'
import { stepFault, type StepContext } from '../../context/step'
import type { Staged } from './definition'

/** Earlier loads that the usual number of rows is taken from, newest first. */
const lookedAt = 20
/** Fewer are no habit. */
const leastLooked = 3

const said = ({ table }: Staged, { slice }: StepContext): string =>
  `${table.schema}.${table.name}${slice ? ` in the slice ${slice.label}` : ''}`

/** A replace that brings no rows deletes none, unless the job allows it. @throws StepFault `deletes-all` */
export function guardEmpty(staged: Staged, deleted: number, context: StepContext): void {
  if (staged.rows > 0 || deleted === 0 || staged.spec.into.allow_empty) return
  stepFault(
    'deletes-all',
    `no rows arrived, and the load would delete ${count(deleted, 'row')} of ${said(staged, context)}`,
    'look at the source; if there really are no rows any more, set allow_empty: true on the target',
  )
}

/**
 * A replace of a slice deletes no more than so many times the rows that a slice usually has: the median of the newest
 * loads of the same row, or what the newest load of this slice wrote, whichever is more.
 * @throws StepFault `deletes-many`
 */
export async function guardShare(staged: Staged, deleted: number, context: StepContext): Promise<void> {
  const most = staged.spec.into.deletes_at_most
  if (deleted === 0 || most === 'any' || context.aside || !context.slice) return
  const { rows } = await context.engine.db.$client.query<{ own: boolean; rows: number }>(
    `select l.slice_from = $3::timestamptz and l.slice_to = $4::timestamptz as own, (s.written + s.unchanged)::float8 as rows
     from mattock.load mine join mattock.run r on r.id = mine.run_id
       cross join lateral (select id from mattock.run o where o.job = r.job and o.environment = r.environment and o.id <= r.id order by o.id desc limit 100) o
       join mattock.load l on l.run_id = o.id and l.id <> mine.id and l.row_key is not distinct from mine.row_key
       join mattock.load_step s on s.load_id = l.id and s.step = $2 and s.state = 'done' and s.kept_from is null
       -- slices of another length have other numbers; months and days of a clock change are alike enough
       and l.slice_to - l.slice_from between ($4::timestamptz - $3::timestamptz) * 0.8 and ($4::timestamptz - $3::timestamptz) * 1.25
     where mine.id = $1 order by l.id desc limit ${lookedAt}`,
    [context.load, context.step, context.slice.from, context.slice.to],
  )
  // a slice without rows says nothing of those that have some
  const others = rows.filter((one) => !one.own && one.rows > 0).map((one) => one.rows)
  if (others.length < leastLooked) return
  const usual = Math.max(quantile(others, 0.5), rows.find(({ own }) => own)?.rows ?? 0)
  if (deleted <= most * usual) return
  stepFault(
    'deletes-many',
    `the load would delete ${count(deleted, 'row')} of ${said(staged, context)}, and a slice usually has ${count(usual, 'row')}: more than ${most} times as many`,
    'look whose rows they are; if they may go, set deletes_at_most on the target higher, or to any',
  )
}
