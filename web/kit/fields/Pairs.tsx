import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { metaOf, type FieldType } from '../../../core/field/field'
import { TakeAway } from '../TakeAway'
import { Template } from '../Template'
import { Choice, OfferedText, TextInput } from '../controls'
import type { FieldProps } from './frame'
import { mapOf } from './given'

/** The words that may be chosen. */
const wordsOf = (type: FieldType): readonly string[] =>
  type.kind === 'choice' ? type.options : type.kind === 'either' ? type.of.flatMap(wordsOf) : []

/** A map from names to texts or choices, a line a pair. */
export function Pairs({ field, said, path, value, onChange, frame }: FieldProps): ReactElement {
  const entries = Object.entries(mapOf(value))
  const of = field.takes.kind === 'map' ? field.takes.of : { kind: 'text' as const }
  const templates = field.takes.kind === 'map' && metaOf(field.takes.schema).as !== undefined
  const put = (next: readonly (readonly [string, unknown])[]) =>
    onChange(next.length === 0 ? undefined : Object.fromEntries(next))
  const set = (i: number, next: string) => put(entries.map((pair, at) => (at === i ? [pair[0], next] : pair)))
  const free = () => {
    for (let n = entries.length + 1; ; n++)
      if (!entries.some(([name]) => name === `column_${n}`)) return `column_${n}`
  }
  return (
    <div className="entries">
      {entries.map(([name, one], i) => (
        <div key={i} className="pair">
          <Name
            key={name}
            label={`${said} name ${i + 1}`}
            name={name}
            locked={frame.locked}
            taken={(next) => entries.some(([other], at) => other === next && at !== i)}
            onRename={(next) => put(entries.map((pair, at) => (at === i ? [next, one] : pair)))}
          />
          {of.kind === 'choice' ? (
            <Choice
              label={`${said} of ${name}`}
              value={String(one)}
              disabled={frame.locked}
              options={of.options.map((option) => [option, option] as const)}
              onChange={(next) => set(i, next)}
            />
          ) : of.kind === 'either' ? (
            <OfferedText
              label={`${said} of ${name}`}
              value={String(one)}
              width={200}
              disabled={frame.locked}
              offers={wordsOf(of)}
              onChange={(next) => set(i, next)}
            />
          ) : templates ? (
            <div style={{ flex: 1, minWidth: 0 }}>
              <Template
                label={`${said} of ${name}`}
                value={String(one)}
                lines={1}
                names={frame.expressions}
                texts={[]}
                disabled={frame.locked}
                placeholder=""
                onChange={(next) => set(i, next)}
              />
              {frame.below?.([...path, name])}
            </div>
          ) : (
            <TextInput
              label={`${said} of ${name}`}
              mono
              value={String(one)}
              disabled={frame.locked}
              onChange={(next) => set(i, next)}
            />
          )}
          {!frame.locked && <TakeAway onClick={() => put(entries.filter((_, at) => at !== i))} />}
        </div>
      ))}
      {!frame.locked && (
        <Button
          aria-label={`Add to ${said}`}
          onClick={() =>
            put([
              ...entries,
              [free(), of.kind === 'map' || of.kind === 'text' ? 'column' : (wordsOf(of)[0] ?? 'column')],
            ])
          }
        >
          Add
        </Button>
      )}
    </div>
  )
}

/** A name is taken over when the field is left, so that it is never half one and half another. */
function Name({
  label,
  name,
  locked,
  taken,
  onRename,
}: {
  label: string
  name: string
  locked: boolean
  taken: (name: string) => boolean
  onRename: (name: string) => void
}): ReactElement {
  const [typed, setTyped] = useState(name)
  const next = typed.trim()
  const wrong = next === '' || taken(next)
  return (
    <TextInput
      label={label}
      mono
      value={typed}
      wrong={wrong}
      disabled={locked}
      onChange={setTyped}
      onLeave={() => (wrong ? setTyped(name) : next !== name && onRename(next))}
    />
  )
}
