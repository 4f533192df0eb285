import { Choice, Flag, TextInput, WordsInput } from '../../kit/controls'
import { Lines } from '../../kit/Lines'
import { Button, MenuItem, TableBody, TableCell, TableHead, TableRow, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import type { CellRules } from '../../../core/control/rules'
import { valueTypes, type ValueType } from '../../../core/value'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../kit/Fault'
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
      <Lines>
        <TableHead>
          <TableRow>
            <TableCell>column</TableCell>
            <TableCell>type</TableCell>
            <TableCell>required</TableCell>
            <TableCell>unique</TableCell>
            <TableCell>names</TableCell>
            <TableCell>one of (with commas)</TableCell>
            <TableCell>must hold, over row</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {table.columns.map(({ name, type }) => {
            const own = rules[name] ?? {}
            return (
              <TableRow key={name}>
                <TableCell className="mono">
                  {name}
                  {table.key.includes(name) && <span className="soft"> · key</span>}
                </TableCell>
                <TableCell className="soft">{type}</TableCell>
                <TableCell>
                  <Flag
                    label={`${name} is required`}
                    disabled={locked}
                    checked={own.required ?? false}
                    onChange={(required) => set(name, { required })}
                  />
                </TableCell>
                <TableCell>
                  <Flag
                    label={`${name} is unique`}
                    disabled={locked}
                    checked={own.unique ?? false}
                    onChange={(unique) => set(name, { unique })}
                  />
                </TableCell>
                <TableCell>
                  <Choice
                    label={`${name} names`}
                    disabled={locked}
                    value={own.names ?? ''}
                    options={[
                      ['', 'anything'],
                      ['connection', 'a connection'],
                      ['dataset', 'a dataset'],
                    ]}
                    onChange={(names) => set(name, { names: names === '' ? undefined : names })}
                  />
                </TableCell>
                <TableCell>
                  <WordsInput
                    label={`${name} is one of`}
                    disabled={locked}
                    width={220}
                    value={own.one_of ?? []}
                    onChange={(list) => set(name, { one_of: list.length > 0 ? list : undefined })}
                  />
                </TableCell>
                <TableCell>
                  <TextInput
                    label={`what must hold for ${name}`}
                    mono
                    width={290}
                    placeholder="row.kind != 'table' || row.due == null"
                    disabled={locked}
                    value={own.holds ?? ''}
                    onChange={(holds) => set(name, { holds })}
                  />
                </TableCell>
              </TableRow>
            )
          })}
        </TableBody>
      </Lines>
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
