import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import type { z } from 'zod'
import { fieldsOf, metaOf, type FieldType } from '../../../core/field/field'
import { TakeAway } from '../TakeAway'
import type { FieldProps } from './FieldControl'
import { SchemaFields } from './SchemaFields'

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
export function Entries({
  field,
  path,
  said,
  value,
  onChange,
  frame,
  schema,
}: FieldProps & { readonly schema: z.ZodType }): ReactElement {
  const list = (Array.isArray(value) ? value : []) as readonly Readonly<Record<string, unknown>>[]
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
