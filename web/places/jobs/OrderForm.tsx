import type { ReactElement } from 'react'
import type { z } from 'zod'
import { Choice, WordsInput } from '../../kit/controls'
import type { FieldFrame } from '../../kit/fields/frame'
import { SchemaFields } from '../../kit/fields/SchemaFields'

interface Props {
  /** `step` or `part`, for the labels. */
  readonly what: string
  readonly schema: z.ZodType
  readonly value: Readonly<Record<string, unknown>>
  /** Ids of the others that it could wait for. */
  readonly others: readonly string[]
  /** It is the first, so that nothing stands before it. */
  readonly first: boolean
  readonly frame: FieldFrame
  readonly onChange: (key: string, value: unknown) => void
}

/** When a step or a part begins: what it waits for, on which end of theirs, and the rest of its order. */
export function OrderForm({ what, schema, value, others, first, frame, onChange }: Props): ReactElement {
  const after = Array.isArray(value.after) ? value.after.map(String) : undefined
  const how = after === undefined ? 'before' : after.length === 0 ? 'nothing' : 'these'
  return (
    <section className="stack" style={{ gap: 8, flex: 'none' }} aria-label={`when the ${what} begins`}>
      <h3 style={{ margin: 0 }}>When it begins</h3>
      <div className="form-rows">
        <span className="label">waits for</span>
        <span className="line" style={{ flexWrap: 'wrap' }}>
          <Choice
            label={`what the ${what} waits for`}
            value={how}
            disabled={frame.locked}
            options={[
              ['before', first ? 'nothing: it is the first' : `the ${what} before it`] as const,
              ...(first ? [] : [['nothing', 'nothing: it begins at once'] as const]),
              ...(others.length > 0 ? [['these', `chosen ${what}s`] as const] : []),
            ]}
            onChange={(next) =>
              onChange('after', { before: undefined, nothing: [], these: others.slice(0, 1) }[next])
            }
          />
          {how === 'these' && (
            <WordsInput
              label={`${what}s that it waits for`}
              value={after!}
              options={others}
              free={false}
              width={260}
              disabled={frame.locked}
              onChange={(next) => onChange('after', next)}
            />
          )}
        </span>
      </div>
      <SchemaFields schema={schema} path={[]} said={what} value={value} frame={frame} onChange={() => {}} />
    </section>
  )
}
