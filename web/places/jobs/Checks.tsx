import { Button } from '@mui/material'
import type { ReactElement } from 'react'
import { ListInput } from './FieldInput'
import { TakeAway } from '../../parts/TakeAway'

interface Check {
  readonly unique?: readonly string[]
  readonly not_null?: readonly string[]
  readonly rows?: { readonly at_least?: number; readonly at_most?: number }
}
type Kind = keyof Check

const words: Readonly<Record<Kind, string>> = {
  unique: 'one row per',
  not_null: 'never empty',
  rows: 'number of rows',
}
const fresh: Readonly<Record<Kind, Check>> = {
  unique: { unique: ['id'] },
  not_null: { not_null: ['id'] },
  rows: { rows: { at_least: 1 } },
}

const kindOf = (check: Check): Kind => (check.unique ? 'unique' : check.not_null ? 'not_null' : 'rows')

/** A list of checks: columns that are unique or never empty, and how many rows there must be. */
export function Checks({
  list,
  locked,
  least = 0,
  onChange,
}: {
  list: unknown
  locked: boolean
  /** Checks that must stay. */
  least?: number
  onChange: (list: readonly Check[] | undefined) => void
}): ReactElement {
  const checks = (Array.isArray(list) ? list : []) as readonly Check[]
  const set = (at: number, check: Check) => onChange(checks.map((one, i) => (i === at ? check : one)))
  const bound = (at: number, { rows = {} }: Check, name: 'at_least' | 'at_most', text: string) => {
    const next = { ...rows, [name]: text === '' ? undefined : Number(text) }
    if (next.at_least === undefined && next.at_most === undefined) return
    set(at, { rows: next })
  }
  return (
    <>
      {checks.map((check, at) => {
        const kind = kindOf(check)
        return (
          <span key={at} style={{ display: 'contents' }}>
            <select
              aria-label={`check ${at + 1}`}
              value={kind}
              disabled={locked}
              style={{ width: '100%', minWidth: 0 }}
              onChange={(event) => set(at, fresh[event.target.value as Kind])}
            >
              {Object.entries(words).map(([name, label]) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </select>
            <span className="line">
              {kind === 'rows' ? (
                <>
                  <span className="soft">at least</span>
                  <input
                    type="number"
                    aria-label={`least rows of check ${at + 1}`}
                    min={0}
                    style={{ width: 90 }}
                    value={check.rows?.at_least ?? ''}
                    disabled={locked}
                    onChange={(event) => bound(at, check, 'at_least', event.target.value)}
                  />
                  <span className="soft">at most</span>
                  <input
                    type="number"
                    aria-label={`most rows of check ${at + 1}`}
                    min={0}
                    style={{ width: 90 }}
                    value={check.rows?.at_most ?? ''}
                    disabled={locked}
                    onChange={(event) => bound(at, check, 'at_most', event.target.value)}
                  />
                </>
              ) : (
                <ListInput
                  label={`columns of check ${at + 1}`}
                  value={check[kind]}
                  placeholder="columns, with commas"
                  locked={locked}
                  onChange={(columns) => columns && set(at, { [kind]: columns })}
                />
              )}
              {!locked && checks.length > least && (
                <TakeAway
                  onClick={() => {
                    const rest = checks.filter((_, i) => i !== at)
                    onChange(rest.length > 0 ? rest : undefined)
                  }}
                />
              )}
            </span>
          </span>
        )
      })}
      {!locked && (
        <span style={{ gridColumn: '1 / -1' }}>
          <Button onClick={() => onChange([...checks, fresh.rows])}>Add a check</Button>
        </span>
      )}
    </>
  )
}
