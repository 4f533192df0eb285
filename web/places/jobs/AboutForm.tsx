import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { valueTypes } from '../../../core/value'
import { FieldInput } from './FieldInput'
import { TakeAway } from '../../parts/TakeAway'

interface RawParameter {
  readonly type?: string
  readonly default?: unknown
  readonly required?: boolean
  readonly one_of?: readonly unknown[]
  readonly try?: unknown
  readonly note?: string
}

interface Props {
  readonly text: string
  readonly locked: boolean
  readonly onText: (text: string, typed?: boolean) => void
}

/** What a job is called, its parameters, and its data time. */
export function AboutForm({ text, locked, onText }: Props): ReactElement {
  const set = (path: Path, value: unknown) => onText(setAt(text, path, value), true)
  const at = (...path: string[]) => valueAt(text, path)
  const parameters = Object.entries((at('parameters') ?? {}) as Record<string, RawParameter>)
  const sliced = at('slices') !== undefined
  const textField = (label: string, path: readonly string[], placeholder = '') => (
    <>
      <span className="label">{label}</span>
      <FieldInput
        label={label}
        takes={{ kind: 'text', placeholder }}
        value={at(...path)}
        locked={locked}
        names={[]}
        texts={[]}
        onChange={(value) => set(path, value)}
      />
    </>
  )
  return (
    <section className="sheet stack" aria-label="about the job" style={{ overflow: 'auto' }} tabIndex={0}>
      <div className="form-rows" style={{ flex: 'none' }}>
        {textField('title', ['title'])}
        {textField('note', ['note'], 'what it is for')}
        <span className="label">tags</span>
        <FieldInput
          label="tags"
          takes={{ kind: 'list', placeholder: 'with commas' }}
          value={at('tags')}
          locked={locked}
          names={[]}
          texts={[]}
          onChange={(value) => set(['tags'], value)}
        />
        <h3>
          data time{' '}
          <select
            aria-label="data time"
            value={sliced ? 'slices' : 'none'}
            disabled={locked}
            onChange={(event) =>
              onText(
                setAt(
                  text,
                  ['slices'],
                  event.target.value === 'slices'
                    ? { every: 'P1D', zone: 'UTC', from: `${new Date().getFullYear()}-01-01` }
                    : undefined,
                ),
              )
            }
          >
            <option value="none">not cut into slices</option>
            <option value="slices">cut into slices</option>
          </select>
        </h3>
        {sliced && (
          <>
            {textField('every', ['slices', 'every'], 'P1D, PT1H, P1M')}
            {textField('zone', ['slices', 'zone'], 'Europe/Oslo')}
            {textField('from', ['slices', 'from'], '2026-01-01')}
            {textField('until', ['slices', 'until'], 'no end')}
            {textField('grace', ['slices', 'grace'], 'PT5H: how long after a slice closes')}
          </>
        )}
      </div>
      <h2 style={{ margin: 0 }}>Parameters</h2>
      {parameters.length > 0 && (
        <table className="plain cells">
          <thead>
            <tr>
              <th>name</th>
              <th>type</th>
              <th>default</th>
              <th className="keep">required</th>
              <th>one of</th>
              <th>try value</th>
              <th>note</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {parameters.map(([name, parameter]) => {
              const own = (key: keyof RawParameter) => ['parameters', name, key]
              const typed = (value: unknown) => typedValue(value, parameter.type)
              return (
                <tr key={name}>
                  <td className="mono keep">{name}</td>
                  <td>
                    <select
                      aria-label={`type of ${name}`}
                      value={parameter.type ?? 'text'}
                      disabled={locked}
                      onChange={(event) => set(own('type'), event.target.value)}
                    >
                      {valueTypes.map((type) => (
                        <option key={type}>{type}</option>
                      ))}
                    </select>
                  </td>
                  <td>
                    <input
                      className="mono"
                      size={9}
                      aria-label={`default of ${name}`}
                      value={String(parameter.default ?? '')}
                      disabled={locked}
                      onChange={(event) => set(own('default'), typed(event.target.value))}
                    />
                  </td>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`${name} is required`}
                      checked={parameter.required ?? false}
                      disabled={locked}
                      onChange={(event) => set(own('required'), event.target.checked || undefined)}
                    />
                  </td>
                  <td>
                    <FieldInput
                      label={`values of ${name}`}
                      takes={{ kind: 'list' }}
                      value={parameter.one_of}
                      locked={locked}
                      names={[]}
                      texts={[]}
                      onChange={(value) => set(own('one_of'), (value as string[] | undefined)?.map(typed))}
                    />
                  </td>
                  <td>
                    <input
                      className="mono"
                      size={9}
                      aria-label={`try value of ${name}`}
                      value={String(parameter.try ?? '')}
                      disabled={locked}
                      onChange={(event) => set(own('try'), typed(event.target.value))}
                    />
                  </td>
                  <td>
                    <input
                      aria-label={`note on ${name}`}
                      value={parameter.note ?? ''}
                      disabled={locked}
                      onChange={(event) => set(own('note'), event.target.value || undefined)}
                    />
                  </td>
                  <td className="number">
                    {!locked && (
                      <TakeAway onClick={() => onText(setAt(text, ['parameters', name], undefined))} />
                    )}
                  </td>
                </tr>
              )
            })}
          </tbody>
        </table>
      )}
      {!locked && (
        <form
          className="line"
          onSubmit={(event) => {
            event.preventDefault()
            const box = event.currentTarget.elements.namedItem('name') as HTMLInputElement
            if (!/^[a-z][a-z0-9_-]{0,62}$/.test(box.value)) return
            onText(setAt(text, ['parameters', box.value], { type: 'text', default: '' }))
            box.value = ''
          }}
        >
          <input
            name="name"
            aria-label="name of a new parameter"
            placeholder="a new one"
            pattern="[a-z][a-z0-9_\-]{0,62}"
            title="lower-case letters, digits, - and _"
            style={{ font: 'inherit', padding: '3px 8px' }}
          />
          <Button type="submit">Add a parameter</Button>
        </form>
      )}
    </section>
  )
}

/** A typed text as the parameter's type has it; what does not fit stays text, and the check of the document says so. */
function typedValue(value: unknown, type = 'text'): unknown {
  const text = String(value)
  if (text === '') return undefined
  if ((type === 'integer' || type === 'number') && /^[+-]?\d+(\.\d+)?$/.test(text)) return Number(text)
  if (type === 'boolean' && /^(true|false)$/.test(text)) return text === 'true'
  return text
}
