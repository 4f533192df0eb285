import { render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState, type ReactElement } from 'react'
import { describe, expect, it } from 'vitest'
import type { z } from 'zod'
import { stepDefinition, stepKinds } from '../../../core/job/steps'
import { rosterSchema } from '../../../core/job/rosters'
import { connectionKinds, connectorOf } from '../../../core/connection/connection'
import { fieldsOf, metaOf } from '../../../core/field/field'
import type { FieldFrame } from './frame'
import { SchemaFields } from './SchemaFields'

type Given = Readonly<Record<string, unknown>>
let now: Given | undefined

function Held({
  schema,
  first,
  frame = {},
}: {
  schema: z.ZodType
  first: Given
  frame?: Partial<FieldFrame>
}): ReactElement {
  const [value, setValue] = useState<Given | undefined>(first)
  now = value
  return (
    <SchemaFields
      schema={schema}
      path={[]}
      said="it"
      value={value}
      onChange={setValue}
      frame={{ locked: false, expressions: ['row.kind'], offers: () => [], ...frame }}
    />
  )
}

const choose = async (label: string | RegExp, option: string) => {
  await userEvent.click(screen.getByRole('combobox', { name: label }))
  await userEvent.click(within(screen.getByRole('listbox')).getByRole('option', { name: option }))
}

describe('fields made from a schema', () => {
  const transfer = stepDefinition('transfer').schema

  it.each(stepKinds)('draws a fresh step of kind %s', (kind) => {
    render(<Held schema={stepDefinition(kind).schema} first={{}} />)
    for (const { key, label, takes, when } of fieldsOf(stepDefinition(kind).schema))
      if (takes.kind !== 'group' && !when)
        expect(screen.getAllByText((text) => text.includes(label)).length, key).toBeGreaterThan(0)
  })

  it.each(connectionKinds)('draws the settings of a connection of kind %s', (kind) => {
    const { settings } = connectorOf(kind)
    render(<Held schema={settings} first={{}} />)
    for (const { label, when } of fieldsOf(settings)) if (!when) expect(screen.getByText(label)).toBeTruthy()
  })

  it('shows the keys of the kind of source that is set, and begins another anew', async () => {
    render(<Held schema={transfer} first={{ from: { store: 'drop', files: '*.csv' }, into: {} }} />)
    expect(screen.getByLabelText('it from files')).toHaveProperty('value', '*.csv')
    expect(screen.queryByLabelText('it from query')).toBeNull()
    await choose('it from what', 'a query')
    expect(now!.from).toEqual({ connection: 'a-database', query: 'select 1 as one' })
    expect(screen.queryByLabelText('it from files')).toBeNull()
  })

  it('shows every key of a source of files once all are asked for', async () => {
    render(<Held schema={transfer} first={{ from: { store: 'drop', files: '*.csv' }, into: {} }} />)
    await userEvent.click(
      screen.getByRole('button', { name: /read as the dataset, no file, format, delimiter and/ }),
    )
    const { kinds } = metaOf(fieldsOf(transfer).find(({ key }) => key === 'from')!.schema)
    const from = screen.getByRole('group', { name: 'it from' })
    const labels = fieldsOf(fieldsOf(transfer).find(({ key }) => key === 'from')!.schema)
    for (const { key, label } of labels.filter((one) => kinds!.all.files!.keys.includes(one.key)))
      expect(within(from).getAllByText(label).length, key).toBeGreaterThan(0)
  })

  it('leaves out keys of reading that the format has no use for', async () => {
    render(
      <Held schema={transfer} first={{ from: { store: 'd', files: '*', format: 'parquet' }, into: {} }} />,
    )
    await userEvent.click(screen.getAllByRole('button', { name: /no file/ })[0]!)
    expect(screen.queryByLabelText('it from delimiter')).toBeNull()
  })

  it('writes nothing where the usual is chosen again', async () => {
    render(<Held schema={transfer} first={{ from: { store: 'd', files: '*', missing: 'skip' }, into: {} }} />)
    await choose('it from no file', 'fails the load')
    expect(now!.from).toEqual({ store: 'd', files: '*' })
  })

  it('takes a list as chips, a comma ending each', async () => {
    render(
      <Held
        schema={transfer}
        first={{ from: {}, into: { connection: 'wh', table: 't', write: 'upsert' } }}
      />,
    )
    await userEvent.type(screen.getByLabelText('it into key'), 'meter,read_at{enter}')
    expect((now!.into as Given).key).toEqual(['meter', 'read_at'])
  })

  it('adds and takes away checks, and changes what kind they are', async () => {
    render(<Held schema={transfer} first={{ from: {}, into: {} }} />)
    await userEvent.click(
      screen.getByRole('button', { name: 'Add to it checked before anything is written' }),
    )
    expect(now!.check).toEqual([{ unique: ['id'] }])
    await choose(/kind of it checked before anything is written 1/, 'number of rows')
    expect(now!.check).toEqual([{ rows: { at_least: 1 } }])
    await userEvent.click(screen.getByRole('button', { name: 'take away' }))
    expect(now!.check).toBeUndefined()
  })

  it('takes rejects as a word or as a number', async () => {
    render(<Held schema={transfer} first={{ from: {}, into: {} }} />)
    await choose('it rows that do not fit', 'are kept, up to a number')
    expect(now!.rejects).toEqual({ up_to: 10 })
    await choose('it rows that do not fit', 'are all kept')
    expect(now!.rejects).toBe('keep')
    await choose('it rows that do not fit', 'the first fails the load')
    expect(now!.rejects).toBeUndefined()
  })

  it('renames a pair only to a name that is free', async () => {
    render(<Held schema={transfer} first={{ from: {}, into: {}, columns: { a: 'x', b: 'y' } }} />)
    const name = screen.getByLabelText('it columns by other names name 1')
    await userEvent.clear(name)
    await userEvent.type(name, 'b{Tab}')
    expect(now!.columns).toEqual({ a: 'x', b: 'y' })
    await userEvent.clear(screen.getByLabelText('it columns by other names name 1'))
    await userEvent.type(screen.getByLabelText('it columns by other names name 1'), 'c{Tab}')
    expect(now!.columns).toEqual({ c: 'x', b: 'y' })
  })

  it('sets each value at its own place, where the form writes them one by one', async () => {
    const set: unknown[] = []
    render(
      <Held
        schema={transfer}
        first={{ from: { store: 'd', files: '*', missing: 'skip' }, into: {} }}
        frame={{ onSet: (path, value) => set.push([path.join('.'), value]) }}
      />,
    )
    await choose('it from no file', 'fails the load')
    expect(set).toEqual([['from.missing', undefined]])
  })

  it('keeps what is looped over within when another roster is chosen, and no more', async () => {
    render(
      <Held schema={rosterSchema} first={{ control: 'feeds', where: 'row.active', inner: { rows: [] } }} />,
    )
    await choose('kind of it', 'files of a store')
    expect(now).toEqual({
      files: { store: 'a-store', named: '{kind}_{date:yyyyMMdd}.csv' },
      inner: { rows: [] },
    })
  })

  it('can be looked at only, where it is locked', () => {
    render(
      <Held
        schema={transfer}
        first={{ from: { store: 'd', files: '*' }, into: {}, check: [{ unique: ['a'] }] }}
        frame={{ locked: true }}
      />,
    )
    expect(screen.getByLabelText('it from files')).toHaveProperty('disabled', true)
    expect(screen.queryByRole('button', { name: 'take away' })).toBeNull()
    expect(screen.queryByRole('button', { name: /^Add/ })).toBeNull()
  })
})
