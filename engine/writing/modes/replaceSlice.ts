import { beginsDay, clockText } from '../../../core/slice/midnight'
import type { Slice } from '../../../core/slice/slices'
import { inSliceSql } from '../../../core/text/moments'
import { count } from '../../../core/text/someOf'
import { quoteName } from '../../../core/text/slot'
import { qualified } from '../../connectors/postgres/tables'
import { recorded, stepFault, type StepContext } from '../../context/step'
import { parameterTypes } from '../../connectors/postgres/prepare'
import type { Mode, Staged } from './definition'
import { guardEmpty, guardShare } from './guard'
import { insertAll } from './insert'

export const replaceSlice: Mode = {
  straight: false,
  async apply(staged, context) {
    const { client, table, spec } = staged
    const { slice } = context
    if (!slice)
      stepFault(
        'no-slice',
        'replace-slice is used in a part without slices',
        'give the job slices, or another write mode',
      )
    const by = spec.into.slice_by!
    const inside = inSliceSql(by)
    await guardColumn(staged, slice, context)
    const ends = [slice.from, slice.to]
    const { rows } = await client.query<{ outside: string; example: string | null }>(
      `select count(*) as outside, min(${quoteName(by)}::text) as example from mattock_stage where (${inside}) is not true`,
      ends,
    )
    const outside = Number(rows[0]!.outside)
    if (outside > 0) {
      const { example } = rows[0]!
      const span = ends.map((end) => clockText(end, context.zone)).join(' to ')
      stepFault(
        'outside-slice',
        `${count(outside, 'row')} with ${by} outside the slice ${slice.label} (${span}, ${context.zone})${example === null ? `: ${by} is empty` : `, such as ${example}`}`,
        'look at the file, or load it with upsert',
      )
    }
    const { rowCount } = await recorded(
      client,
      context.outcome,
      spec.into.connection,
      `delete from ${qualified(table)} where ${inside}`,
      ends,
    )
    guardEmpty(staged, rowCount ?? 0, context)
    await guardShare(staged, rowCount ?? 0, context)
    return await insertAll(staged, context)
  },
}

/**
 * The column must be able to tell a row's slice: a date can where days begin and end with the slice.
 * @throws StepFault `time-column`
 */
async function guardColumn(
  { client, table, spec }: Staged,
  slice: Slice,
  { zone }: StepContext,
): Promise<void> {
  const by = spec.into.slice_by!
  const [type] = (await parameterTypes(
    client,
    `select from ${qualified(table)} where ${inSliceSql(by)}`,
  )) as [string]
  const column = `${by} of ${table.schema}.${table.name}`
  if (!/^(date|timestamp( with(out)? time zone)?)$/.test(type))
    stepFault(
      'time-column',
      `slice_by names ${column}, which is of type ${type} and holds no time`,
      'name a column of type date, timestamp or timestamptz',
    )
  if (type !== 'date') return
  const cut = [slice.from, slice.to].find((end) => !beginsDay(end, zone))
  if (cut !== undefined)
    stepFault(
      'time-column',
      `${column} is a date, and ${clockText(cut, zone)} in ${zone} is not the start of a day`,
      'use slices of whole days that start at midnight, or a column with a time',
    )
}
