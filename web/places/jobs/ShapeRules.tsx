import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { columnRules, type ColumnRule, type ShapeRule } from '../../../core/shape/shape'
import { valueTypes, type ValueType } from '../../../core/value'
import { TakeAway } from '../../parts/TakeAway'

const ruleWords: Readonly<Record<ColumnRule, string>> = {
  trim: 'trim blanks',
  'empty-to-null': 'empty is nothing',
  lower: 'lower case',
  upper: 'upper case',
}

/** What is done to every column of a type, or of a name, before it is written. */
export function ShapeRules({
  list,
  locked,
  onChange,
}: {
  list: unknown
  locked: boolean
  onChange: (list: readonly ShapeRule[] | undefined) => void
}): ReactElement {
  const rules = (Array.isArray(list) ? list : []) as readonly Partial<ShapeRule>[]
  const set = (at: number, rule: Partial<ShapeRule>) =>
    onChange(
      rules.map((one, i) => {
        const next = i === at ? { ...one, ...rule } : one
        // what is not set is not written
        const columns = Object.fromEntries(Object.entries(next.columns ?? {}).filter(([, value]) => value !== undefined)) // prettier-ignore
        return { columns, apply: next.apply ?? ['trim'] }
      }),
    )
  return (
    <>
      {rules.map(({ columns = {}, apply = [] }, at) => (
        <span key={at} style={{ display: 'contents' }}>
          <select
            aria-label={`type of the columns of rule ${at + 1}`}
            value={columns.type ?? ''}
            disabled={locked}
            style={{ width: '100%', minWidth: 0 }}
            onChange={({ target }) =>
              set(at, {
                columns: { ...columns, type: target.value === '' ? undefined : (target.value as ValueType) },
              })
            }
          >
            <option value="">all columns</option>
            {valueTypes.map((type) => (
              <option key={type} value={type}>
                {type} columns
              </option>
            ))}
          </select>
          <span className="line" style={{ flexWrap: 'wrap' }}>
            <span className="soft">named</span>
            <input
              className="mono"
              aria-label={`names of the columns of rule ${at + 1}`}
              placeholder="any; * stands for letters"
              style={{ width: 150 }}
              value={columns.named ?? ''}
              disabled={locked}
              onChange={({ target }) =>
                set(at, { columns: { ...columns, named: target.value || undefined } })
              }
            />
            {columnRules.map((rule) => (
              <label key={rule} className="line" style={{ gap: 4 }}>
                <input
                  type="checkbox"
                  checked={apply.includes(rule)}
                  // a rule does one thing at least
                  disabled={locked || (apply.length === 1 && apply.includes(rule))}
                  onChange={({ target }) =>
                    set(at, {
                      apply: columnRules.filter((one) =>
                        one === rule ? target.checked : apply.includes(one),
                      ),
                    })
                  }
                />
                {ruleWords[rule]}
              </label>
            ))}
            {!locked && (
              <TakeAway
                onClick={() => {
                  const rest = rules.filter((_, i) => i !== at)
                  onChange(rest.length > 0 ? (rest as ShapeRule[]) : undefined)
                }}
              />
            )}
          </span>
        </span>
      ))}
      {!locked && (
        <span style={{ gridColumn: '1 / -1' }}>
          <Button
            onClick={() =>
              onChange([...(rules as ShapeRule[]), { columns: { type: 'text' }, apply: ['trim'] }])
            }
          >
            Add a rule for columns
          </Button>
        </span>
      )}
    </>
  )
}

/** Types that columns are cast to, of a target that is not there yet. */
export function Casts({
  types,
  locked,
  onChange,
}: {
  types: unknown
  locked: boolean
  onChange: (types: Readonly<Record<string, string>> | undefined) => void
}): ReactElement {
  const entries = Object.entries((types ?? {}) as Record<string, string>)
  const put = (next: readonly (readonly [string, string])[]) =>
    onChange(next.length === 0 ? undefined : Object.fromEntries(next))
  return (
    <>
      {entries.map(([name, type], at) => (
        <span key={at} style={{ display: 'contents' }}>
          <input
            key={name}
            className="mono"
            aria-label={`column ${at + 1} that is cast`}
            style={{ width: '100%', minWidth: 0 }}
            defaultValue={name}
            disabled={locked}
            onBlur={({ target }) => {
              const next = target.value.trim()
              if (next !== '' && !entries.some(([other], i) => other === next && i !== at))
                put(entries.map((one, i) => (i === at ? [next, type] : one)))
            }}
          />
          <span className="line">
            <span className="soft">is read as</span>
            <select
              aria-label={`type of ${name}`}
              value={type}
              disabled={locked}
              onChange={({ target }) => put(entries.map((one, i) => (i === at ? [name, target.value] : one)))}
            >
              {valueTypes.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
            {!locked && <TakeAway onClick={() => put(entries.filter((_, i) => i !== at))} />}
          </span>
        </span>
      ))}
      {!locked && (
        <span style={{ gridColumn: '1 / -1' }}>
          <Button onClick={() => put([...entries, [`column_${entries.length + 1}`, 'number']])}>
            Add a cast
          </Button>
        </span>
      )}
    </>
  )
}
