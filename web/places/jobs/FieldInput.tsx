import { useState, type ReactElement } from 'react'
import { Template } from '../../parts/Template'
import type { FieldKind } from './fields'

/** One field of a form; it says the value it takes, undefined where it is the usual one. */
export function FieldInput({
  label,
  takes,
  value,
  locked,
  names,
  texts,
  onChange,
}: {
  label: string
  takes: FieldKind
  value: unknown
  locked: boolean
  names: readonly string[]
  texts: readonly string[]
  onChange: (value: unknown) => void
}): ReactElement {
  switch (takes.kind) {
    case 'template':
      return (
        <Template
          label={label}
          value={String(value ?? '')}
          lines={takes.lines ?? 1}
          names={names}
          texts={texts}
          disabled={locked}
          onChange={onChange}
        />
      )
    case 'choice':
      return (
        <select
          aria-label={label}
          value={String(value ?? takes.usual)}
          disabled={locked}
          onChange={(event) => onChange(event.target.value === takes.usual ? undefined : event.target.value)}
        >
          {takes.options.map(([option, words]) => (
            <option key={option} value={option}>
              {words}
            </option>
          ))}
        </select>
      )
    case 'flag': {
      const usual = takes.usual ?? false
      return (
        <label>
          <input
            type="checkbox"
            checked={Boolean(value ?? usual)}
            disabled={locked}
            onChange={(event) => onChange(event.target.checked === usual ? undefined : event.target.checked)}
          />{' '}
          {takes.words}
        </label>
      )
    }
    case 'number':
      return (
        <input
          aria-label={label}
          type="number"
          min={takes.least ?? 0}
          style={{ width: 90 }}
          value={value === undefined ? '' : String(value)}
          disabled={locked}
          onChange={(event) => onChange(event.target.value === '' ? undefined : Number(event.target.value))}
        />
      )
    case 'list':
      return (
        <ListInput
          label={label}
          value={value}
          placeholder={takes.placeholder}
          locked={locked}
          onChange={onChange}
        />
      )
    case 'text':
      return (
        <input
          aria-label={label}
          className="mono"
          style={{ width: '100%' }}
          value={String(value ?? '')}
          placeholder={takes.placeholder}
          disabled={locked}
          onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
        />
      )
  }
}

/** A list with commas; it is taken when the field is left, so that a comma can be typed. */
export function ListInput({
  label,
  value,
  placeholder,
  locked,
  onChange,
}: {
  label: string
  value: unknown
  placeholder: string | undefined
  locked: boolean
  onChange: (value: readonly string[] | undefined) => void
}): ReactElement {
  const given = Array.isArray(value) ? value.map(String).join(', ') : String(value ?? '')
  const [typed, setTyped] = useState<string>()
  const take = () => {
    if (typed === undefined) return
    const list = typed
      .split(',')
      .map((part) => part.trim())
      .filter((part) => part !== '')
    onChange(list.length > 0 ? list : undefined)
    setTyped(undefined)
  }
  return (
    <input
      aria-label={label}
      className="mono"
      style={{ width: '100%' }}
      value={typed ?? given}
      placeholder={placeholder}
      disabled={locked}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => event.key === 'Enter' && take()}
    />
  )
}
