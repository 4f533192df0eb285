import type { ReactElement } from 'react'
import type { Field, FieldType } from '../../../core/field/field'
import { Template } from '../Template'
import { Choice, Flag, NumberInput, TextInput, WordsInput } from '../controls'
import { Either } from './Either'
import { Entries } from './Entries'
import { Pairs } from './Pairs'
import { SchemaFields } from './SchemaFields'

/** What is offered where a text names something, by what it names. */
export type Offers = (names: string, path: FieldPath) => readonly string[]

/** Keys and places in lists, from the root of the form. */
export type FieldPath = readonly (string | number)[]

/** What all fields of a form share. */
export interface FieldFrame {
  readonly locked: boolean
  /** Names that expressions may use. */
  readonly expressions: readonly string[]
  readonly offers: Offers
  /** Stands below a field, such as what its text comes to; undefined for nothing. */
  readonly below?: (path: FieldPath) => ReactElement | undefined
  /** What is wrong with what stands at a path. */
  readonly fault?: (path: FieldPath) => string | undefined
  /** Sets what stands at a path; without it, each object gives its whole to the one around it. */
  readonly onSet?: (path: FieldPath, value: unknown) => void
}

export interface FieldProps {
  readonly field: Field
  readonly path: FieldPath
  /** Said by a screen reader: the names of the groups it is in, and its own. */
  readonly said: string
  readonly value: unknown
  readonly onChange: (value: unknown) => void
  readonly frame: FieldFrame
}

const text = (value: unknown): string => (value === undefined || value === null ? '' : String(value))
const list = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : [])

/** A typed text as the scalar it reads as: a number, yes or no, else itself. */
function scalarOf(typed: string): unknown {
  if (typed === '') return undefined
  if (/^-?(0|[1-9]\d*)(\.\d+)?$/.test(typed) && String(Number(typed)) === typed) return Number(typed)
  return typed === 'true' ? true : typed === 'false' ? false : typed
}

/** The control for each type of field; a field without one does not compile. */
const controls: { readonly [K in FieldType['kind']]: (props: FieldProps) => ReactElement } = {
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
        onChange={(next) => onChange(next === '' ? undefined : next)}
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
  list: (props) => {
    const { field, said, value, onChange, frame } = props
    const type = field.takes
    if (type.kind !== 'list') throw new Error('a list was expected')
    if (type.of.kind === 'group') return <Entries {...props} schema={type.schema} />
    const options = type.of.kind === 'choice' ? type.of.options : []
    return (
      <WordsInput
        label={said}
        value={list(value).map(text)}
        options={options}
        free={type.of.kind !== 'choice'}
        words={type.words ?? {}}
        placeholder={field.usual}
        disabled={frame.locked}
        onChange={(next) => onChange(next.length > 0 ? next : undefined)}
      />
    )
  },
  map: (props) => <Pairs {...props} />,
  group: ({ field, path, said, value, onChange, frame }) => (
    <SchemaFields
      schema={field.schema}
      path={path}
      said={said}
      value={value as Readonly<Record<string, unknown>> | undefined}
      frame={frame}
      onChange={onChange}
    />
  ),
  either: (props) => <Either {...props} />,
}

function numberControl({ field, said, value, onChange, frame }: FieldProps): ReactElement {
  return (
    <NumberInput
      label={said}
      value={typeof value === 'number' ? value : undefined}
      placeholder={field.usual ?? (field.preset === undefined ? '' : String(field.preset))}
      disabled={frame.locked}
      onChange={onChange}
    />
  )
}

/** One field of a form, by what its schema says it takes. It gives undefined where the usual holds. */
export function FieldControl(props: FieldProps): ReactElement {
  return controls[props.field.takes.kind](props)
}
