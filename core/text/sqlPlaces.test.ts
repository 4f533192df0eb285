import { describe, expect, it } from 'vitest'
import { celCompiler, celRow } from '../expression/cel'
import type { FaultError } from '../fault'
import { assemble, compileSlot, workOut, type Resolved } from './slot'
import { SqlReader } from './sqlPlaces'

const compile = celCompiler('UTC')
const slot = (text: string) => compileSlot({ step: 's', path: 'text', kind: 'sql', text }, compile)
const fault = (text: string) => {
  try {
    slot(text)
    return undefined
  } catch (error) {
    const { message, where } = (error as FaultError).fault
    return { message, at: text.slice(where.offset, (where.offset ?? 0) + (where.length ?? 0)) }
  }
}
const resolve = (text: string, row: Record<string, string | number>): Resolved & { kind: 'sql' } => {
  const own = slot(text)
  const bindings = { row: celRow(row, {}), ids: [] }
  return assemble(own, (i) => {
    const piece = own.pieces[i]!
    return typeof piece === 'string' ? piece : workOut(piece, bindings)
  }) as Resolved & { kind: 'sql' }
}

// Postgres documentation 4.1.2: string constants, dollar quoting, comments; 4.1.1: quoted identifiers
it.each([
  ["select 'a", 'text'],
  ["select 'it''s", 'text'],
  ["select 'it''s'", 'code'],
  ["select E'\\'", 'text'],
  ["select '\\'", 'code'],
  ['select "a""b', 'name'],
  ['do $$ begin', 'dollar'],
  ["do $body$ select $$'$$", 'dollar'],
  ['do $$ x $$;', 'code'],
  ['select $1', 'code'],
  ['select 1 -- it’s', 'comment'],
  ["select 1 -- it's\n", 'code'],
  ['/* a /* b */ c', 'comment'],
  ['/* a /* b */ c */ select', 'code'],
  ['select a$$b', 'code'],
])('%j ends in %s', (text, place) => {
  const whole = new SqlReader()
  whole.take(text, 0)
  expect(whole.place).toBe(place)
})

describe('an expression in SQL', () => {
  it.each([
    ["insert into t values ('{row.v}')", 'row.v', 'stands within quotes'],
    ["where v like '%{row.v}%'", 'row.v', "{'…' + row.v}"],
    ["select '{name(row.t)}'", 'name(row.t)', 'stands within quotes'],
    ['select "{row.v}"', 'row.v', 'name(row.v)'],
    ['do $$ begin perform f({row.v}); end $$', 'row.v', 'between dollars'],
    ['truncate tt{row.name}', 'row.name', "{name('…' + row.name)}"],
    ['truncate {row.name}_old', 'row.name', 'built of letters'],
    ['select * from raw.{row.t}', 'row.t', '{name(schema, table)}'],
    ['select * from {row.s}.t', 'row.s', 'built of letters'],
    ['select * from {row.s}{row.t}', 'row.t', 'built of letters'],
    ['truncate tt{name(row.t)}', 'name(row.t)', 'touches other letters'],
  ])('%s is refused at its place, with the mend', (text, at, words) => {
    const found = fault(text)!
    expect(found.at).toBe(at)
    expect(found.message).toContain(words)
  })

  it.each([
    'insert into t values ({row.v})',
    "insert into t values ({'a' + row.v}, 'x')",
    'select * from {name(row.s, row.t)} where a={row.v} and b in {list([1, 2])}',
    "select {row.v}::date, '{{', -- {row.v} it's\n {row.v}",
    "do $$ begin execute 'truncate {raw(row.t)}'; end $$",
    'do $$ begin perform 1 from {name(row.t)}; end $$',
    'select raw.{name(row.t)}.*, "a b", {name(row.t)}.x',
    'create function f() returns int language sql begin atomic; select 1; end',
  ])('%s is taken', (text) => expect(fault(text)).toBeUndefined())
})

it.each([
  ['insert into t values (1); commit', 'commit'],
  ['BEGIN; select 1', 'BEGIN'],
  ['select 1;\n-- so\nrollback to x', 'rollback'],
  ['start transaction', 'start'],
  ['savepoint a', 'savepoint'],
])('%s is refused: a step is one transaction', (text, at) => {
  expect(fault(text)).toMatchObject({ at, message: expect.stringContaining('transaction') as string })
})

it.each([
  "select 'commit'",
  'do $$ begin commit; end $$',
  'select commit from t',
  'insert into begin_log values (1)',
])('%s begins and ends none', (text) => expect(fault(text)).toBeUndefined())

describe('a list', () => {
  it('with nothing in it matches nothing, and its opposite everything, as a person means it', () => {
    expect(resolve('where a in {list([])}', {}).text).toBe('where a in (null) is true')
    expect(resolve('where a NOT  IN {list([])} and b', {}).text).toBe(
      'where a NOT  IN (null) is not false and b',
    )
    expect(resolve('select array{list([])}', {}).text).toBe('select array(null)')
  })
})

it('a name over 63 bytes is refused where it is built: Postgres would cut it', () => {
  expect(() => resolve('truncate {name(row.t)}', { t: 'x'.repeat(63) })).not.toThrow()
  expect(() => resolve('truncate {name(row.t)}', { t: 'ü'.repeat(32) })).toThrow(/64 bytes/)
})

it('a name that would end the text between dollars is refused', () => {
  expect(() => resolve('do $$ begin perform 1 from {name(row.t)}; end $$', { t: 'a$$b' })).toThrow(/dollar/)
})
