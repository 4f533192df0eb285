import { Button } from '@mui/material'
import { Fragment, useState, type ReactElement } from 'react'
import type { z } from 'zod'
import { fieldsOf, metaOf, type Field, type FieldType } from '../../../core/field/field'
import { Choice, WordsInput } from '../controls'
import { TakeAway } from '../TakeAway'
import type { FieldFrame, FieldPath, FieldProps, Given } from './frame'
import { mapOf } from './given'
import { leaves } from './leaves'

interface Props {
  readonly schema: z.ZodType
  /** Path of the object from the root of the form. */
  readonly path: FieldPath
  readonly said: string
  readonly value: Given | undefined
  readonly onChange: (value: Given | undefined) => void
  readonly frame: FieldFrame
  /** Keys that somebody else shows. */
  readonly without?: readonly string[]
  /** It is left: the focus is elsewhere. */
  readonly onLeft?: () => void
}

const wide = (field: Field): boolean =>
  field.takes.kind === 'group' ||
  field.takes.kind === 'map' ||
  field.takes.kind === 'either' ||
  (field.takes.kind === 'list' && field.takes.of.kind === 'group')

/** The fields of an object's schema, all of them: those that are seldom set when they are, or when asked for. */
export function SchemaFields(props: Props): ReactElement {
  const { schema, path, said, onChange, frame, without = [], onLeft } = props
  const value = mapOf(props.value)
  const [all, setAll] = useState(false)
  const { kinds, oneKind } = metaOf(schema)
  const put = (key: string, next: unknown) => {
    if (frame.onSet) return frame.onSet([...path, key], next)
    const { [key]: _old, ...rest } = value
    onChange(next === undefined ? rest : { ...value, [key]: next })
  }
  const whole = (next: Given) => (frame.onSet ? frame.onSet(path, next) : onChange(next))
  const kind = kinds?.of(value)
  const chosen = oneKind && Object.keys(oneKind).find((key) => value[key] !== undefined)
  const fields = fieldsOf(schema).filter(
    ({ key, when, schema: own }) =>
      !without.includes(key) &&
      // what holds itself (a roster within a roster) is drawn by who knows how deep it goes
      own !== schema &&
      (kinds === undefined || kind === undefined || kinds.all[kind]!.keys.includes(key)) &&
      (oneKind === undefined || !(key in oneKind) || key === chosen) &&
      (when?.(value) ?? true),
  )
  const rare = fields.filter((field) => field.rare && value[field.key] === undefined)
  const shown = fields.filter((field) => all || !rare.includes(field))
  return (
    <div
      className="form-rows"
      role="group"
      aria-label={said || undefined}
      onBlur={({ currentTarget, relatedTarget }) => {
        if (!currentTarget.contains(relatedTarget)) onLeft?.()
      }}
    >
      {kinds && kind !== undefined && (
        <Line label="kind">
          <Choice
            label={`${said} what`}
            value={kind}
            disabled={frame.locked}
            options={Object.entries(kinds.all).map(([one, { words }]) => [one, words] as const)}
            onChange={(next) => whole(kinds.all[next]!.fresh as Given)}
          />
        </Line>
      )}
      {oneKind && (
        <Line label="kind">
          <Choice
            label={`kind of ${said}`}
            value={chosen ?? ''}
            disabled={frame.locked}
            options={Object.entries(oneKind).map(([one, { words }]) => [one, words] as const)}
            onChange={(next) => whole({ ...kept(value, oneKind), [next]: oneKind[next]!.fresh })}
          />
        </Line>
      )}
      {shown.map((field) => {
        const at = [...path, field.key]
        const own = `${said} ${field.label}`.trim()
        const control = (
          <FieldControl
            field={field}
            path={at}
            said={own}
            value={value[field.key]}
            frame={frame}
            stays={field.key === chosen}
            onChange={(next) => put(field.key, next)}
          />
        )
        if (field.key === chosen && field.takes.kind === 'group')
          return (
            <div key={field.key} className="whole">
              {control}
            </div>
          )
        if (wide(field))
          return (
            <Fragment key={field.key}>
              <h3>{field.label}</h3>
              <div className="whole">{control}</div>
            </Fragment>
          )
        return (
          <Line key={field.key} label={field.label} hint={field.says}>
            {control}
            {frame.below?.(at)}
            <FieldFault frame={frame} path={at} />
          </Line>
        )
      })}
      {(rare.length > 0 || all) && (
        <div className="whole">
          <Button variant="text" size="small" onClick={() => setAll(!all)}>
            {all ? 'only what is set' : moreText(rare.map(({ label }) => label))}
          </Button>
        </div>
      )}
    </div>
  )
}

/** What is wrong with what stands in a field. */
export function FieldFault({ frame, path }: Pick<FieldProps, 'frame' | 'path'>): ReactElement | null {
  const fault = frame.fault?.(path)
  return fault === undefined ? null : (
    <div className="bad" role="alert">
      {fault}
    </div>
  )
}

/** What is not shown, named as far as a line goes. */
function moreText(labels: readonly string[]): string {
  const few = labels.slice(0, 4).join(', ')
  return labels.length > 4 ? `${few} and ${labels.length - 4} more settings` : few
}

/** What stays when another kind is chosen: nothing that belongs to a kind. */
const kept = (value: Given, oneKind: Readonly<Record<string, unknown>>): Given =>
  Object.fromEntries(Object.entries(value).filter(([key]) => !(key in oneKind) && key === 'inner'))

function Line({
  label,
  hint,
  children,
}: {
  label: string
  hint?: string | undefined
  children: React.ReactNode
}): ReactElement {
  return (
    <>
      <span className="label" title={hint}>
        {label}
      </span>
      <div style={{ minWidth: 0 }}>{children}</div>
    </>
  )
}

const controls: { readonly [K in FieldType['kind']]: (props: FieldProps) => ReactElement } = {
  ...leaves,
  list: (props) => {
    const { field, path, said, value, onChange, frame } = props
    const type = field.takes
    if (type.kind !== 'list') throw new Error('a list was expected')
    if (type.of.kind === 'group') return <Entries {...props} schema={type.schema} />
    const { names } = metaOf(type.schema)
    const options =
      type.of.kind === 'choice' ? type.of.options : names === undefined ? [] : frame.offers(names, path)
    return (
      <WordsInput
        label={said}
        value={(Array.isArray(value) ? value : []).map(String)}
        options={options}
        free={type.of.kind !== 'choice'}
        words={type.words ?? {}}
        placeholder={field.usual}
        disabled={frame.locked}
        onChange={(next) => onChange(next.length > 0 ? next : undefined)}
      />
    )
  },
  group: ({ field, path, said, value, onChange, frame, stays = false }) => (
    <SchemaFields
      schema={field.schema}
      {...(stays ? {} : { onLeft: () => frame.onLeave?.(path) })}
      path={path}
      said={said}
      value={mapOf(value)}
      frame={frame}
      onChange={onChange}
    />
  ),
}

/** One field of a form, by what its schema says it takes. It gives undefined where the usual holds. */
export function FieldControl(props: FieldProps): ReactElement {
  return controls[props.field.takes.kind](props)
}

/** What an entry begins with: the first of its kinds, or the first value of what it cannot do without. */
function freshOf(schema: z.ZodType): Readonly<Record<string, unknown>> {
  const { oneKind } = metaOf(schema)
  const [first] = Object.entries(oneKind ?? {})
  if (first) return { [first[0]]: first[1].fresh }
  return Object.fromEntries(
    fieldsOf(schema)
      .filter(({ required }) => required)
      .map(({ key, takes }) => [key, firstOf(takes)]),
  )
}

function firstOf(takes: FieldType): unknown {
  if (takes.kind === 'choice') return takes.options[0]
  if (takes.kind === 'list') return [firstOf(takes.of)]
  if (takes.kind === 'number' || takes.kind === 'integer') return 0
  return takes.kind === 'flag' ? false : ''
}

/** A list of objects, one below the other. */
function Entries({
  field,
  path,
  said,
  value,
  onChange,
  frame,
  schema,
}: FieldProps & { readonly schema: z.ZodType }): ReactElement {
  const list = (Array.isArray(value) ? value : []).map(mapOf)
  return (
    <div className="entries">
      {list.map((entry, i) => (
        <div key={i} className="entry">
          <SchemaFields
            schema={schema}
            path={[...path, i]}
            said={`${said} ${i + 1}`}
            value={entry}
            frame={frame}
            onChange={(next) => onChange(list.map((one, at) => (at === i ? next : one)))}
          />
          {!frame.locked && (list.length > 1 || !field.required) && (
            <TakeAway
              onClick={() => {
                const rest = list.filter((_, at) => at !== i)
                onChange(rest.length > 0 ? rest : undefined)
              }}
            />
          )}
        </div>
      ))}
      {!frame.locked && (
        <Button aria-label={`Add to ${said}`} onClick={() => onChange([...list, freshOf(schema)])}>
          Add
        </Button>
      )}
    </div>
  )
}
