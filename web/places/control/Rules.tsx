import { Button, MenuItem, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import type { CellRules } from '../../../core/control/rules'
import { valueTypes, type ValueType } from '../../../core/value'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../parts/Fault'
import type { ControlAnswer } from './edits'

/** Types of the columns, what each asks of its cells, and a new column. */
export function Rules({
  table,
  locked,
  dirty,
  onChanged,
}: {
  table: ControlAnswer
  locked: boolean
  dirty: boolean
  onChanged: () => void
}): ReactElement {
  const { environment } = useHere()
  const [title, setTitle] = useState(table.title)
  const [rules, setRules] = useState<Readonly<Record<string, CellRules>>>(table.rules)
  const [fresh, setFresh] = useState<{ name: string; type: ValueType }>({ name: '', type: 'text' })
  const [fault, setFault] = useState<Error>()
  const where = { params: { name: table.name }, query: { environment } }
  const changed = title !== table.title || JSON.stringify(rules) !== JSON.stringify(table.rules)
  const set = (column: string, change: CellRules) => {
    const next = Object.entries({ ...rules[column], ...change }).filter(
      ([, value]) => value !== undefined && value !== false && value !== '',
    )
    setRules({ ...rules, [column]: Object.fromEntries(next) })
  }
  const save = () => {
    const kept = Object.fromEntries(Object.entries(rules).filter(([, own]) => Object.keys(own).length > 0))
    const plain = Object.fromEntries(
      Object.entries(kept).map(([column, { one_of, ...own }]) => [
        column,
        { ...own, ...(one_of ? { one_of: [...one_of] } : {}) },
      ]),
    )
    call(routes.changeControl, { ...where, body: { title, rules: plain } }).then(onChanged, setFault)
  }
  const add = (event: FormEvent) => {
    event.preventDefault()
    call(routes.addControlColumn, { ...where, body: fresh }).then(() => {
      setFresh({ name: '', type: 'text' })
      onChanged()
    }, setFault)
  }
  return (
    <>
      {dirty && (
        <p className="look" style={{ margin: '0 0 6px' }}>
          Save or undo the rows first; then columns and rules can be changed.
        </p>
      )}
      {fault && <FaultBox error={fault} />}
      <table className="plain cells">
        <thead>
          <tr>
            <th>column</th>
            <th>type</th>
            <th>required</th>
            <th>unique</th>
            <th>names</th>
            <th>one of (with commas)</th>
            <th>must hold, over row</th>
          </tr>
        </thead>
        <tbody>
          {table.columns.map(({ name, type }) => {
            const own = rules[name] ?? {}
            return (
              <tr key={name}>
                <td className="mono">
                  {name}
                  {table.key.includes(name) && <span className="soft"> · key</span>}
                </td>
                <td className="soft">{type}</td>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`${name} is required`}
                    disabled={locked}
                    checked={own.required ?? false}
                    onChange={(event) => set(name, { required: event.target.checked })}
                  />
                </td>
                <td>
                  <input
                    type="checkbox"
                    aria-label={`${name} is unique`}
                    disabled={locked}
                    checked={own.unique ?? false}
                    onChange={(event) => set(name, { unique: event.target.checked })}
                  />
                </td>
                <td>
                  <select
                    aria-label={`${name} names`}
                    disabled={locked}
                    value={own.names ?? ''}
                    onChange={(event) =>
                      set(name, { names: (event.target.value || undefined) as CellRules['names'] })
                    }
                  >
                    <option value="">anything</option>
                    <option value="connection">a connection</option>
                    <option value="dataset">a dataset</option>
                  </select>
                </td>
                <td>
                  <input
                    className="mono"
                    aria-label={`${name} is one of`}
                    disabled={locked}
                    defaultValue={own.one_of?.join(', ') ?? ''}
                    onChange={(event) => set(name, { one_of: listOf(event.target.value) })}
                  />
                </td>
                <td>
                  <input
                    className="mono"
                    size={34}
                    aria-label={`what must hold for ${name}`}
                    placeholder="row.kind != 'table' || row.due == null"
                    disabled={locked}
                    defaultValue={own.holds ?? ''}
                    onChange={(event) => set(name, { holds: event.target.value })}
                  />
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
      {!locked && (
        <div className="line" style={{ marginTop: 10, flexWrap: 'wrap', rowGap: 10 }}>
          <TextField
            label="what the table says"
            value={title}
            onChange={(event) => setTitle(event.target.value)}
            sx={{ width: 300 }}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <Button
            variant="contained"
            color="primary"
            disabled={!changed || title.trim() === ''}
            onClick={save}
          >
            Save the rules
          </Button>
          <form className="line" onSubmit={add} aria-label="a new column" style={{ marginLeft: 'auto' }}>
            <TextField
              label="new column"
              value={fresh.name}
              onChange={(event) => setFresh({ ...fresh, name: event.target.value })}
              sx={{ width: 150 }}
              slotProps={{ inputLabel: { shrink: true } }}
            />
            <TextField
              select
              label="type"
              value={fresh.type}
              onChange={(event) => setFresh({ ...fresh, type: event.target.value as ValueType })}
              sx={{ width: 110 }}
              slotProps={{ inputLabel: { shrink: true } }}
            >
              {valueTypes.map((type) => (
                <MenuItem key={type} value={type}>
                  {type}
                </MenuItem>
              ))}
            </TextField>
            <Button type="submit" disabled={fresh.name.trim() === ''}>
              Add the column
            </Button>
          </form>
        </div>
      )}
    </>
  )
}

const listOf = (text: string): string[] | undefined => {
  const list = text
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
  return list.length > 0 ? list : undefined
}
