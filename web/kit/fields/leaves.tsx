import type { ReactElement } from 'react'
import type { FieldType } from '../../../core/field/field'
import { Choice, Flag, NumberInput, TextInput } from '../controls'
import { Template } from '../Template'
import { Either } from './Either'
import { Pairs } from './Pairs'
import type { FieldProps } from './frame'

const text = (value: unknown): string => (value === undefined || value === null ? '' : String(value))

/** A typed text as the scalar it reads as: a number, yes or no, else itself. */
function scalarOf(typed: string): unknown {
  if (typed === '') return undefined
  if (/^-?(0|[1-9]\d*)(\.\d+)?$/.test(typed) && String(Number(typed)) === typed) return Number(typed)
  return typed === 'true' ? true : typed === 'false' ? false : typed
}

/** The controls of fields that hold no object below them. */
export const leaves: {
  readonly [K in Exclude<FieldType['kind'], 'list' | 'group'>]: (props: FieldProps) => ReactElement
} = {
  text: ({ field, path, said, value, onChange, frame }) => {
    const named = field.names === undefined ? [] : frame.offers(field.names, path)
    if (field.as !== undefined || field.names !== undefined)
      return (
        <Template
          label={said}
          value={text(value)}
          lines={field.lines ?? 1}
          names={field.as === undefined ? [] : frame.expressions}
          texts={named}
          disabled={frame.locked}
          placeholder={field.usual ?? ''}
          onChange={(next) => onChange(next === '' && !field.required ? undefined : next)}
        />
      )
    return (
      <TextInput
        label={said}
        mono
        lines={field.lines ?? 1}
        secret={field.secret ?? false}
        wrong={frame.fault?.(path) !== undefined}
        value={text(value)}
        placeholder={field.usual ?? (field.preset === undefined ? '' : String(field.preset))}
        disabled={frame.locked}
        // what must be there stays as an empty text: without it its whole kind would be gone
        onChange={(next) => onChange(next === '' && !field.required ? undefined : next)}
      />
    )
  },
  scalar: ({ field, said, value, onChange, frame }) => (
    <TextInput
      label={said}
      mono
      width={160}
      value={text(value)}
      placeholder={field.preset === undefined ? '' : String(field.preset)}
      disabled={frame.locked}
      onChange={(next) => onChange(scalarOf(next))}
    />
  ),
  number: (props) => numberControl(props),
  integer: (props) => numberControl(props),
  flag: ({ field, said, value, onChange, frame }) => {
    const preset = field.preset === true
    return (
      <Flag
        label={said}
        checked={typeof value === 'boolean' ? value : preset}
        words={field.says}
        disabled={frame.locked}
        onChange={(next) => onChange(next === preset ? undefined : next)}
      />
    )
  },
  choice: ({ field, said, value, onChange, frame }) => {
    const options = field.takes.kind === 'choice' ? field.takes.options : []
    const usual = field.preset === undefined ? '' : String(field.preset)
    const words = (option: string) => field.words?.[option] ?? option
    return (
      <Choice
        label={said}
        value={text(value ?? usual)}
        disabled={frame.locked}
        options={[
          ...(usual === '' && !field.required ? [['', field.usual ?? 'not set'] as const] : []),
          ...options.map((option) => [option, words(option)] as const),
        ]}
        onChange={(next) => onChange(next === usual ? undefined : next)}
      />
    )
  },
  map: (props) => <Pairs {...props} />,
  either: (props) => <Either {...props} />,
}

function numberControl({ field, path, said, value, onChange, frame }: FieldProps): ReactElement {
  return (
    <NumberInput
      label={said}
      value={typeof value === 'number' ? value : undefined}
      placeholder={field.usual ?? (field.preset === undefined ? '' : String(field.preset))}
      disabled={frame.locked}
      wrong={frame.fault?.(path) !== undefined}
      onChange={onChange}
    />
  )
}
