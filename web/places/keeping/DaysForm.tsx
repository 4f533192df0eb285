import type { ReactElement } from 'react'
import { z } from 'zod'
import { routes } from '../../../contract/routes'
import { field } from '../../../core/field/field'
import { call, useAnswer } from '../../data/api'
import { Slip } from '../../kit/Slip'
import { Form } from '../../kit/Form'
import { say } from '../../kit/Notice'
import { count, numberText } from '../../look/times'
import { daysText, type Kept } from './kept'

const formOf = ({ title, fewest }: Kept) =>
  z.strictObject({
    days: field(
      z
        .int()
        .min(fewest, `${title} are kept for ${count(fewest, 'day')} at least`)
        .max(36_500, 'a hundred years are the most; leave it empty to keep for ever'),
      { label: 'days', usual: 'for ever' },
    )
      .optional()
      .describe('left empty, it is kept for ever'),
  })

/** Sets how long a kind is kept; says before what that takes away. */
export function DaysForm({
  kept,
  onClose,
}: {
  kept: Kept
  onClose: (changed: boolean) => void
}): ReactElement {
  const { kind, title, says, days } = kept
  return (
    <Slip title={title} onClose={() => onClose(false)}>
      <p className="soft">{says}</p>
      <Form
        schema={formOf(kept)}
        values={{ days: days ?? undefined }}
        submit="Keep them so long"
        onCancel={() => onClose(false)}
        onSubmit={async (next) => {
          const set = (to: number | null) => call(routes.keepFor, { params: { kind }, body: { days: to } })
          await set(next.days ?? null)
          say(
            `${title} are kept ${next.days === undefined ? 'for ever' : `for ${daysText(next.days)}`}`,
            () => void set(days).then(() => onClose(true)),
          )
          onClose(true)
        }}
      >
        {(values) => <Goes kept={kept} days={values.days} />}
      </Form>
    </Slip>
  )
}

function Goes({
  kept: { kind, fewest },
  days,
}: {
  kept: Kept
  days: number | undefined
}): ReactElement | null {
  const valid = days === undefined || (Number.isInteger(days) && days >= fewest && days <= 36_500)
  const { data } = useAnswer(routes.wouldGo, valid ? { params: { kind }, query: { days } } : null)
  if (!data) return null
  return data.goes === 0 ? (
    <p className="soft">Nothing goes now.</p>
  ) : (
    <p className="look">{numberText(data.goes)} would go within the hour, for good.</p>
  )
}
