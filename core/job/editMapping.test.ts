import { describe, expect, it } from 'vitest'
import { misfits } from '../catalog/fits'
import { setMapping, setPolicy } from './editMapping'
import { parseJob } from './parse'

const text = `mattock: job/1
name: j
title: J
parts:
  # the only part
  - each: { roster: { rows: [{ a: 1 }] } }
    do:
      - id: bring
        transfer:
          from: { store: drop, files: '{row.a}.csv' } # as it comes
          into: { connection: wh, table: raw.t, write: append }
`

describe('the mapping in the text of a job', () => {
  const columnsOf = (document: string) => parseJob(document).job?.parts[0]?.do?.[0]?.transfer?.columns
  it('is set and taken away, and nothing else changes', () => {
    const one = setMapping(text, 'bring', 'meter', 'Meter No')
    expect(columnsOf(one)).toEqual({ meter: 'Meter No' })
    expect(one).toContain('# the only part')
    expect(one).toContain('# as it comes')
    const two = setMapping(one, 'bring', 'odd "name"', "it's")
    expect(columnsOf(two)).toEqual({ meter: 'Meter No', 'odd "name"': "it's" })
    const back = setMapping(setMapping(two, 'bring', 'meter', null), 'bring', 'odd "name"', null)
    expect(back).toBe(text)
  })
  it('says what is done with columns that one side lacks', () => {
    const set = setPolicy(text, 'bring', 'unknown_columns', 'add')
    expect(parseJob(set).job?.parts[0]?.do?.[0]?.transfer?.into.unknown_columns).toBe('add')
    expect(setPolicy(set, 'bring', 'unknown_columns', 'fail')).toBe(text)
  })
  it('edits blocks as well as braces, and leaves every other letter alone', () => {
    const block = text
      .replace(
        'into: { connection: wh, table: raw.t, write: append }',
        'into:\n            connection: wh\n            table: raw.t # here\n            write: append',
      )
      .concat('          columns:\n            a: A\n            b: B\n          rejects: keep\n')
    const set = setPolicy(setMapping(block, 'bring', 'c', 'C c'), 'bring', 'missing_columns', 'fail')
    expect(columnsOf(set)).toEqual({ a: 'A', b: 'B', c: 'C c' })
    expect(parseJob(set).job?.parts[0]?.do?.[0]?.transfer).toMatchObject({
      rejects: 'keep',
      into: { missing_columns: 'fail' },
    })
    expect(set).toContain('table: raw.t # here')
    const without = ['a', 'b', 'c'].reduce((now, name) => setMapping(now, 'bring', name, null), set)
    expect(columnsOf(without)).toBeUndefined()
    expect(parseJob(without).job?.parts[0]?.do?.[0]?.transfer?.rejects).toBe('keep')
  })
  it('knows the step by its id', () =>
    expect(() => setMapping(text, 'other', 'a', 'b')).toThrow(/no step "other"/))
})

it('tells the values of a sample that cannot be cast', () => {
  expect(misfits(['1', '', null, '<0.05', 'x'], 'numeric')).toEqual({ count: 2, first: '<0.05' })
  expect(misfits(['1,5'], 'numeric')).toEqual({ count: 1, first: '1,5' })
  expect(misfits(['1,5', '2'], 'numeric', { decimal: ',' })).toEqual({ count: 0, first: null })
  expect(misfits(['2026-02-30'], 'date').count).toBe(1)
  expect(misfits(['anything'], 'text').count).toBe(0)
})
