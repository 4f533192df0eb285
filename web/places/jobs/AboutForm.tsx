import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { fieldsOf } from '../../../core/field/field'
import { jobSchema, parameterSchema } from '../../../core/job/document'
import { slicesSchema } from '../../../core/slice/spec'
import type { Fault } from '../../../core/fault'
import { setAt, valueAt, type Path } from '../../../core/job/editText'
import { Choice, TextInput } from '../../kit/controls'
import type { FieldFrame } from '../../kit/fields/frame'
import { FieldControl, FieldFault, SchemaFields } from '../../kit/fields/SchemaFields'
import { Lines } from '../../kit/Lines'
import { TakeAway } from '../../kit/TakeAway'
import { formed } from './formed'
import { SliceStrip } from './SliceStrip'

type RawParameter = Readonly<Record<string, unknown>> & { readonly type?: string }

interface Props {
  readonly text: string
  readonly locked: boolean
  readonly faults: readonly Fault[]
  readonly onText: (text: string, typed?: boolean) => void
}

/** What a job is called, its parameters, and its data time. */
export function AboutForm({ text, locked, faults, onText }: Props): ReactElement {
  const set = (path: Path, value: unknown) => onText(setAt(text, path, value), true)
  const at = (...path: string[]) => valueAt(text, path)
  const parameters = Object.entries((at('parameters') ?? {}) as Record<string, RawParameter>)
  const sliced = at('slices') !== undefined
  const frame: FieldFrame = {
    locked,
    expressions: [],
    offers: () => [],
    ...formed(text, [], faults, onText),
  }
  return (
    <section className="sheet stack" aria-label="about the job" style={{ overflow: 'auto' }} tabIndex={0}>
      <SchemaFields
        schema={jobSchema}
        path={[]}
        said="job"
        value={{ title: at('title'), note: at('note'), tags: at('tags') }}
        frame={frame}
        without={['mattock', 'name', 'parameters', 'slices', 'starts', 'due', 'parts']}
        onChange={() => {}}
      />
      <div className="form-rows" style={{ flex: 'none' }}>
        <h3>data time</h3>
        <span className="label">slices</span>
        <Choice
          label="data time"
          value={sliced ? 'slices' : 'none'}
          disabled={locked}
          options={[
            ['none', 'not cut into slices'],
            ['slices', 'cut into slices'],
          ]}
          onChange={(value) =>
            onText(
              setAt(
                text,
                ['slices'],
                value === 'slices'
                  ? { every: 'P1D', zone: 'UTC', from: `${new Date().getFullYear()}-01-01` }
                  : undefined,
              ),
            )
          }
        />
      </div>
      {sliced && (
        <SchemaFields
          schema={slicesSchema}
          path={['slices']}
          said="slices"
          value={at('slices') as Readonly<Record<string, unknown>>}
          frame={frame}
          onChange={(value) => set(['slices'], value)}
        />
      )}
      {sliced && <SliceStrip given={at('slices')} />}
      <h2 style={{ margin: 0 }}>Parameters</h2>
      {parameters.length > 0 && (
        <Lines label="parameters">
          <TableHead>
            <TableRow>
              <TableCell>name</TableCell>
              {fieldsOf(parameterSchema).map(({ key, label, says }) => (
                <TableCell key={key} title={says} className="keep">
                  {label}
                </TableCell>
              ))}
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {parameters.map(([name, parameter]) => {
              return (
                <TableRow key={name}>
                  <TableCell className="mono keep">{name}</TableCell>
                  {fieldsOf(parameterSchema).map((field) => (
                    <TableCell key={field.key}>
                      <FieldControl
                        field={field.takes.kind === 'flag' ? { ...field, says: undefined } : field}
                        path={['parameters', name, field.key]}
                        said={`${field.label} of ${name}`}
                        value={parameter[field.key]}
                        frame={frame}
                        onChange={(value) =>
                          set(
                            ['parameters', name, field.key],
                            field.takes.kind === 'scalar' ? typedValue(value, parameter.type) : value,
                          )
                        }
                      />
                      <FieldFault frame={frame} path={['parameters', name, field.key]} />
                    </TableCell>
                  ))}
                  <TableCell className="number">
                    {!locked && (
                      <TakeAway onClick={() => onText(setAt(text, ['parameters', name], undefined))} />
                    )}
                  </TableCell>
                </TableRow>
              )
            })}
          </TableBody>
        </Lines>
      )}
      {!locked && (
        <NewParameter
          onAdd={(name) => onText(setAt(text, ['parameters', name], { type: 'text', default: '' }))}
        />
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

/** The name of a parameter that is to be added. */
function NewParameter({ onAdd }: { onAdd: (name: string) => void }): ReactElement {
  const [name, setName] = useState('')
  const wrong = name !== '' && !/^[a-z][a-z0-9_-]{0,62}$/.test(name)
  const add = () => {
    if (name === '' || wrong) return
    onAdd(name)
    setName('')
  }
  return (
    <div className="line">
      <TextInput
        label="name of a new parameter"
        placeholder="a new one"
        mono
        width={200}
        value={name}
        wrong={wrong}
        onChange={setName}
        onEnter={add}
      />
      <Button onClick={add} disabled={name === '' || wrong}>
        Add a parameter
      </Button>
      {wrong && <span className="bad">lower-case letters, digits, - and _, beginning with a letter</span>}
    </div>
  )
}
