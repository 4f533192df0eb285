import { Temporal } from 'temporal-polyfill'
import { timestamp } from '../expression/instants'
import { describe, expect, it } from 'vitest'
import { celCompiler, celRow } from '../expression/cel'
import { hasWildcard } from '../store/pattern'
import { assemble, compileSlot, quoteName, workOut, type SlotKind } from './slot'

const compile = celCompiler('UTC')
const nasty = `o'brien"; drop table x;--`

function resolve(kind: SlotKind, text: string, row: Record<string, string | number | null>) {
  const slot = compileSlot({ step: 's', path: 'p', kind, text }, compile)
  const bindings = { row: celRow(row, {}), ids: [1n, 2n] }
  return assemble(slot, (i) => {
    const piece = slot.pieces[i]!
    return typeof piece === 'string' ? piece : workOut(piece, bindings)
  })
}

describe('SQL', () => {
  it('binds every expression as a value, whatever the value holds', () => {
    expect(resolve('sql', 'select {row.a} where x = {row.b}', { a: nasty, b: 3 })).toEqual({
      kind: 'sql',
      text: 'select $1 where x = $2',
      values: [nasty, 3],
    })
  })
  it('binds a point in time as one, alone and in lists, and what has no zone as that', () => {
    const moment = timestamp(Temporal.Instant.from('2026-11-02T23:00:00Z'))
    const slot = compileSlot({ step: 's', path: 'p', kind: 'sql', text: '{t} {list(t, 1)} {[t]} {date(t)} {local(t)} {format(t, "yyyy")}' }, celCompiler('Europe/Oslo')) // prettier-ignore
    const resolved = assemble(slot, (i) => {
      const piece = slot.pieces[i]!
      return typeof piece === 'string' ? piece : workOut(piece, { t: moment })
    })
    const iso = '2026-11-02T23:00:00Z'
    expect(resolved).toEqual({
      kind: 'sql',
      text: '$1::timestamptz ($2::timestamptz, $3) $4::timestamptz[] $5::date $6::timestamp $7',
      values: [iso, iso, '1', [iso], '2026-11-03', '2026-11-03T00:00:00', '2026'],
    })
  })
  it('quotes names, part by part', () => {
    expect(resolve('sql', 'select * from {name(row.a, row.b)}', { a: 'raw', b: nasty })).toMatchObject({
      text: `select * from "raw"."o'brien""; drop table x;--"`,
      values: [],
    })
  })
  it('binds each item of a list; an empty list matches nothing', () => {
    expect(resolve('sql', 'where id in {list(ids)}', {})).toMatchObject({
      text: 'where id in ($1, $2)',
      values: ['1', '2'],
    })
    expect(resolve('sql', 'where id in {list([])}', {})).toMatchObject({
      text: 'where id in (null) is true',
      values: [],
    })
  })
  it('splices raw text only where asked to', () => {
    expect(resolve('sql', 'select {raw(row.a)}', { a: 'now()' })).toMatchObject({
      text: 'select now()',
      values: [],
    })
  })
  it('refuses an empty name', () => {
    expect(() => resolve('sql', 'select * from {name(row.a)}', { a: '' })).toThrow(/empty/)
  })
})

describe('tables', () => {
  it('parts schema and table at dots that are written, never at those of a value', () => {
    expect(resolve('table', 'raw.{row.a}', { a: 'x.y' })).toMatchObject({ schema: 'raw', table: 'x.y' })
    expect(resolve('table', '{row.a}', { a: 'x.y' })).toMatchObject({ schema: null, table: 'x.y' })
    expect(resolve('table', 'raw.{row.a}', { a: nasty })).toMatchObject({ schema: 'raw', table: nasty })
    expect(() => resolve('table', 'a.b.c', {})).toThrow(/more than one dot/)
  })
  it('keeps name(), list() and raw() for SQL', () => {
    expect(() => resolve('table', '{name(row.a)}', { a: 'x' })).toThrow(/is for SQL/)
  })
})

describe('paths', () => {
  it('takes wildcards as written, and those of a value as letters', () => {
    const resolved = resolve('path', '{row.a}_*.csv', { a: 'x*[1]' })
    expect(resolved).toMatchObject({ text: 'x*[1]_*.csv', pattern: 'x\\*[1]_*.csv' })
    expect([hasWildcard('a\\*b'), hasWildcard('a*b'), hasWildcard('a\\\\*')]).toEqual([false, true, true])
  })
})

// SQL:2016 5.2: a delimited identifier doubles the quotes inside it
it('quotes an identifier', () => expect(quoteName('a"b')).toBe('"a""b"'))
