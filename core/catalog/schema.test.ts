import { describe, expect, it } from 'vitest'
import { balances, difference } from '../balance/balance'
import { nameFits, rulesFor, shapedSql } from '../shape/shape'
import { csvRecords } from '../files/csvRecords'
import { cellFault } from '../control/rules'
import { readCell } from './rules'

const nothing = { connection: [], dataset: [] }

import { duckTypeFor, valueTypeOf } from './types'

describe('the first record of a CSV text (RFC 4180)', () => {
  it.each([
    ['rule 1: ends at CRLF', 'aaa,bbb,ccc\r\nzzz', ['aaa', 'bbb', 'ccc']],
    ['rule 2: the last line may have no break', 'aaa,bbb', ['aaa', 'bbb']],
    ['rule 4: spaces are part of a field', 'a , b', ['a ', ' b']],
    ['rule 5: fields may be quoted', '"aaa","bbb"\r\n', ['aaa', 'bbb']],
    ['rule 6: breaks and commas inside quotes', '"a\r\na","b,b"\r\n', ['a\r\na', 'b,b']],
    ['rule 7: a quote is doubled', '"a""a",b', ['a"a', 'b']],
    ['a byte order mark is no letter', '\uFEFFa,b\n', ['a', 'b']],
    ['empty fields', ',a,\n', ['', 'a', '']],
  ])('%s', (_rule, text, fields) => expect(csvRecords(text)[0]).toEqual(fields))
  it('has none where a quote is never closed', () => expect(csvRecords('"a,b')).toEqual([]))
  it('leaves out blank lines, and a record that the text breaks off in', () => {
    expect(csvRecords('a,b\n\n1,2\r\n3,4', { whole: false })).toEqual([
      ['a', 'b'],
      ['1', '2'],
    ])
    expect(csvRecords('a|b\n', { delimiter: '|', limit: 1 })).toEqual([['a', 'b']])
  })
})

describe('cells of control tables', () => {
  it.each([
    ['yes', 'boolean', true], ['', 'boolean', null], ['maybe', 'boolean', undefined],
    ['12', 'integer', 12], ['1.5', 'integer', undefined], ['9223372036854775807', 'integer', '9223372036854775807'],
    ['2026-02-30', 'date', undefined], ['2026-02-28', 'date', '2026-02-28'],
    ['05:30', 'time', '05:30'], ['25:00', 'time', undefined], [' x ', 'text', ' x '],
  ] as const)('reads %j as %s', (text, type, value) => expect(readCell(text, type)).toBe(value)) // prettier-ignore
  it('says what breaks a rule', () => {
    const column = { name: 'kind', type: 'text' as const }
    expect(cellFault(column, { required: true }, null, nothing)).toBe('kind needs a value')
    expect(cellFault(column, { one_of: ['a', 'b'] }, 'c', nothing)).toBe('kind is one of a, b')
    expect(cellFault(column, { names: 'connection' }, 'whh', { ...nothing, connection: ['wh'] })).toBe(
      'there is no connection "whh"',
    )
    expect(cellFault({ name: 'n', type: 'integer' }, undefined, undefined, nothing)).toBe(
      'n takes a whole number',
    )
    expect(cellFault(column, { one_of: ['a'] }, 'a', nothing)).toBeUndefined()
  })
})

it('knows the types of Postgres', () => {
  expect(
    ['bigint', 'numeric(8,2)', 'timestamp with time zone', 'character varying(20)', 'date'].map(valueTypeOf),
  ).toEqual(['integer', 'decimal', 'timestamp', 'text', 'date'])
  expect(
    ['numeric(8,2)', 'numeric', 'integer', 'jsonb', 'timestamp with time zone'].map(duckTypeFor),
  ).toEqual(['DECIMAL(8,2)', 'VARCHAR', 'INTEGER', 'VARCHAR', 'TIMESTAMPTZ'])
})

it('shapes text columns by type and name, others never', () => {
  const shape = [
    { columns: { type: 'text' as const }, apply: ['trim' as const] },
    { columns: { named: 'code*' }, apply: ['upper' as const] },
  ]
  expect(rulesFor({ name: 'code_1', type: 'text' }, shape)).toEqual(['trim', 'upper'])
  expect(rulesFor({ name: 'code_1', type: 'bigint' }, shape)).toEqual([])
  expect(shapedSql('"x"', ['trim', 'empty-to-null'])).toBe(`nullif(trim("x", E' \\t\\r\\n'), '')`)
  expect([nameFits('a.b', 'a.*'), nameFits('axb', 'a.b')]).toEqual([true, false])
})

it('balances where every row is accounted for', () => {
  const counts = { read: 10, written: 5, unchanged: 2, rejected: 2, filtered: 0, merged: 1 }
  expect(balances(counts)).toBe(true)
  expect(difference({ ...counts, read: 12 })).toBe(2)
})
