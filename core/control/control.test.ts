import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Row, Table } from '../value'
import { bringIn, readIncoming } from './bringIn'
import { applyEdits, keyOf, keyText, undoChanges, type ControlEdit } from './edits'
import { rowCheck } from './rowRules'
import { cellFault, repeated } from './rules'

const table: Table = {
  columns: [
    { name: 'feed', type: 'text' },
    { name: 'size', type: 'integer' },
    { name: 'active', type: 'boolean' },
    { name: 'since', type: 'date' },
  ],
  key: ['feed'],
  rows: [
    { feed: 'a', size: 1, active: true, since: '2026-11-01' },
    { feed: 'b', size: null, active: false, since: null },
    { feed: 'c', size: 3, active: true, since: null },
  ],
}

describe('text that comes in', () => {
  it.each([
    ['feed;size\na;1\n"b;c";2', { columns: ['feed', 'size'], rows: [['a', '1'], ['b;c', '2']] }],
    ['feed\tsize\na\t1\n', { columns: ['feed', 'size'], rows: [['a', '1']] }],
    ['\uFEFFfeed,size\na,"1\n2"', { columns: ['feed', 'size'], rows: [['a', '1\n2']] }],
    ['[{"feed":"a","size":1},{"feed":"b","more":null}]', { columns: ['feed', 'size', 'more'], rows: [['a', '1', ''], ['b', '', '']] }],
    ['{"feed":"a"}\n\n{"feed":{"x":[1]}}', { columns: ['feed'], rows: [['a'], ['{"x":[1]}']] }],
  ])('%j', (text, expected) => expect(readIncoming(text)).toEqual(expected)) // prettier-ignore
  it.each([
    ['', 'nothing to bring in'],
    ['[1, 2]', 'a list of objects'],
    ['{"a": }', 'this JSON cannot be read'],
  ])('says why it cannot be read: %j', (text, why) => expect(() => readIncoming(text)).toThrow(why))
})

describe('what bringing in does', () => {
  const come = (text: string) => bringIn(table, readIncoming(text))
  it('matches by key: new, changed, the same, absent', () => {
    const found = come('feed,size,active\na,1,yes\nb,5,no\nd,7,true')
    expect(found.added).toEqual([{ feed: 'd', size: 7, active: true }])
    expect(found.changed).toEqual([{ key: { feed: 'b' }, set: { size: 5 }, before: table.rows[1] }])
    expect([found.same, found.absent.map(({ feed }) => feed)]).toEqual([1, ['c']])
  })
  it('leaves columns that do not come in as they are, and those the table has not aside', () => {
    const found = come('feed,colour\na,red')
    expect([found.same, found.changed, found.unknown]).toEqual([1, [], ['colour']])
  })
  it('keeps out what cannot be read, has no key, or comes twice, and says which row', () => {
    const { faults, added, changed } = come('feed,size\na,many\n,2\nd,1\nd,2')
    expect(faults).toEqual([
      { row: 1, message: '"many" is no integer (size)' },
      { row: 2, message: 'it has no key' },
      { row: 4, message: 'd comes in twice' },
    ])
    expect([added.length, changed.length]).toEqual([1, 0])
  })
  it('needs the columns of the key', () => {
    expect(() => come('size\n1')).toThrow('feed is not among what comes in')
  })
  it('is nothing for what was taken out of the same table', () => {
    const csv = ['feed,size,active,since', ...table.rows.map(({ feed, size, active, since }) => [feed, size ?? '', active, since ?? ''].join(','))].join('\n') // prettier-ignore
    expect(come(csv)).toMatchObject({ added: [], changed: [], absent: [], same: 3, faults: [] })
  })
  it('tells keys apart that read alike', () => {
    const two: Table = {
      columns: [{ name: 'x', type: 'text' }, { name: 'y', type: 'text' }, { name: 'n', type: 'integer' }],
      key: ['x', 'y'],
      rows: [{ x: 'a · b', y: 'c', n: 1 }, { x: 'a', y: 'b · c', n: 2 }],
    } // prettier-ignore
    expect(keyText(keyOf(two, two.rows[0]!))).toBe(keyText(keyOf(two, two.rows[1]!)))
    const incoming = { columns: ['x', 'y', 'n'], rows: [['a', 'b · c', '3']] }
    expect(bringIn(two, incoming)).toMatchObject({ changed: [{ set: { n: 3 }, before: { n: 2 } }], absent: [{ n: 1 }] }) // prettier-ignore
    const edit: ControlEdit = { kind: 'remove', key: { x: 'a', y: 'b · c' }, version: '' }
    expect(applyEdits(two, [edit]).rows).toEqual([two.rows[0]])
  })
})

describe('edits', () => {
  it('change, add and remove; a row that is gone is passed over', () => {
    const after = applyEdits(table, [
      { kind: 'change', key: { feed: 'a' }, version: '', set: { size: 9 } },
      { kind: 'remove', key: { feed: 'b' }, version: '' },
      { kind: 'change', key: { feed: 'zz' }, version: '', set: { size: 1 } },
      { kind: 'add', set: { feed: 'd' } },
    ])
    expect(after.rows.map(({ feed, size }) => [feed, size])).toEqual([['a', 9], ['c', 3], ['d', null]]) // prettier-ignore
    expect(table.rows[0]!.size).toBe(1)
  })
  it('undone in turn give the table back, whatever they were', () => {
    const edits = fc.array(
      fc.oneof(
        fc.record({ feed: fc.constantFrom('a', 'b', 'c'), size: fc.nat(9) }).map(({ feed, size }): ControlEdit => ({ kind: 'change', key: { feed }, version: '', set: { size } })),
        fc.constantFrom('a', 'b', 'c').map((feed): ControlEdit => ({ kind: 'remove', key: { feed }, version: '' })),
        fc.constantFrom('d', 'e').map((feed): ControlEdit => ({ kind: 'add', set: { feed } })),
      ),
      { maxLength: 8 },
    ) // prettier-ignore
    const sorted = ({ rows }: Table): Row[] =>
      [...rows].sort((a, b) => String(a.feed).localeCompare(String(b.feed)))
    fc.assert(
      fc.property(edits, (list) => {
        let now = table
        const changes: { rowKey: string; before: Row | null; after: Row | null }[] = []
        for (const edit of list) {
          const feed = String(edit.kind === 'add' ? edit.set.feed : edit.key.feed)
          const before = now.rows.find((row) => row.feed === feed) ?? null
          if ((edit.kind === 'add') === (before !== null)) continue
          now = applyEdits(now, [edit])
          changes.unshift({ rowKey: feed, before, after: now.rows.find((row) => row.feed === feed) ?? null })
        }
        expect(sorted(undoChanges(now, changes))).toEqual(sorted(table))
      }),
    )
  })
})

describe('rules', () => {
  const known = { connection: ['drop'], dataset: ['drop.flow'] }
  const column = table.columns[0]!
  it.each([
    [undefined, undefined, 'feed takes text'],
    [{ required: true }, '', 'feed needs a value'],
    [{ required: true }, null, 'feed needs a value'],
    [{ one_of: ['x', 'y'] }, 'z', 'feed is one of x, y'],
    [{ one_of: ['x', 'y'] }, 'x', undefined],
    [{ one_of: ['x'] }, null, undefined],
    [{ names: 'connection' as const }, 'drip', 'there is no connection "drip"'],
    [{ names: 'dataset' as const }, 'drop.flow', undefined],
  ])('of one cell: %j with %j', (rules, value, expected) => {
    expect(cellFault(column, rules, value, known)).toBe(expected)
  })
  it('of a column: values that stand in several rows, empty ones aside', () => {
    expect([...repeated(['a', 'b', 'a', null, '', null, undefined])]).toEqual([['a', [0, 2]]])
  })
  it('of a row: an expression that must be true; one that cannot be worked out does not hold', () => {
    const check = rowCheck(table.columns, {
      size: { holds: 'row.size > 0 || !row.active' },
      since: { holds: 'row.nope == 1' },
      feed: { holds: '  ' },
    })
    const of = (row: Row) =>
      check(row).map(({ column: name, message }) => [name, message.replace(/:.*/s, '')])
    expect(of({ feed: 'a', size: 1, active: true, since: null })).toEqual([['since', 'the rule of since']])
    expect(check({ feed: 'a', size: -1, active: true, since: null }).map(({ column: name }) => name)).toEqual(['size', 'since']) // prettier-ignore
    expect(rowCheck(table.columns, {})({ feed: 'a' })).toEqual([])
  })
})
