import type { ReactElement } from 'react'
import type { FieldType } from '../../../core/field/field'
import { Choice, NumberInput } from '../controls'
import type { FieldProps } from './frame'
import { mapOf } from './given'

/** One of several forms: a word, or an object of one number. */
export function Either({ field, said, value, onChange, frame }: FieldProps): ReactElement {
  const of = field.takes.kind === 'either' ? field.takes.of : []
  const numbers = of.flatMap((type: FieldType) => (type.kind === 'group' ? type.fields : []))
  const words = of.flatMap((type: FieldType) => (type.kind === 'choice' ? type.options : []))
  const given = typeof value === 'object' && value !== null ? mapOf(value) : undefined
  const key = given && Object.keys(given)[0]
  const chosen = key ?? (given ? '' : String(value ?? field.preset ?? ''))
  const number = numbers.find((one) => one.key === key)
  return (
    <div className="line">
      <Choice
        label={said}
        value={chosen}
        disabled={frame.locked}
        options={[...words, ...numbers.map((one) => one.key)].map(
          (one) => [one, field.words?.[one] ?? one] as const,
        )}
        onChange={(next) =>
          onChange(
            words.includes(next)
              ? next === field.preset
                ? undefined
                : next
              : { [next]: numbers.find((one) => one.key === next)?.takes.kind === 'integer' ? 10 : 0.1 },
          )
        }
      />
      {number && given && (
        <>
          <NumberInput
            label={`${said} ${number.key}`}
            value={typeof given[number.key] === 'number' ? Number(given[number.key]) : undefined}
            disabled={frame.locked}
            least={0}
            onChange={(next) => next !== undefined && onChange({ [number.key]: next })}
          />
          <span className="soft">{number.says}</span>
        </>
      )}
    </div>
  )
}
