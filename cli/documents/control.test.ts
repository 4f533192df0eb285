import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { applyEdits } from '../../core/control/edits'
import type { Row } from '../../core/value'
import { editsOf } from './control'

const columns = { feed: 'text', due: 'time', seen: 'timestamp', n: 'integer' } as const
const tableOf = (rows: Row[]) => ({
  columns: Object.entries(columns).map(([name, type]) => ({ name, type })),
  key: ['feed'],
  rows,
  versions: rows.map((_, i) => String(i)),
})
const row = (feed: string, more: Row = {}): Row => ({ feed, due: null, seen: null, n: null, ...more })

describe('what makes a table as its document has it', () => {
  it('is nothing where it is so', () => {
    const rows = [row('a', { due: '05:30:00', seen: '2026-01-01T00:00:00.000Z', n: 3 })]
    const document = { columns, rows: [{ feed: 'a', due: '05:30', seen: '2026-01-01T01:00:00+01:00', n: 3 }] }
    expect(editsOf(document, tableOf(rows), true)).toEqual([])
  })

  it('adds, changes only what differs, and empties what is left out', () => {
    const before = [row('a', { n: 1, due: '05:30:00' }), row('b', { n: 2 })]
    const rows: Row[] = [{ feed: 'a', n: 1 }, { feed: 'b', n: 3 }, { feed: 'c' }]
    const document = { columns, rows }
    expect(editsOf(document, tableOf(before), false)).toEqual([
      { kind: 'change', key: { feed: 'a' }, version: '0', set: { due: null } },
      { kind: 'change', key: { feed: 'b' }, version: '1', set: { n: 3 } },
      { kind: 'add', set: row('c') },
    ])
  })

  it('takes away only where it is told to', () => {
    const before = tableOf([row('a'), row('b')])
    const document = { columns, rows: [{ feed: 'a' }] }
    expect(editsOf(document, before, false)).toEqual([])
    expect(editsOf(document, before, true)).toEqual([{ kind: 'remove', key: { feed: 'b' }, version: '1' }])
  })

  it('tells an empty text from nothing', () => {
    const document = { columns, rows: [{ feed: '' }] }
    expect(editsOf(document, tableOf([row('')]), false)).toEqual([])
  })

  it('makes it so, whatever the table was', () => {
    const rows = fc.uniqueArray(
      fc.record({ feed: fc.stringMatching(/^[a-e]{1,2}$/), n: fc.option(fc.integer(), { nil: null }) }),
      { selector: ({ feed }) => feed },
    )
    fc.assert(
      fc.property(rows, rows, (before, after) => {
        const table = tableOf(before.map((one) => row(one.feed, one)))
        const made = applyEdits(table, editsOf({ columns, rows: after }, table, true))
        const byFeed = (list: readonly Row[]) =>
          [...list].sort((a, b) => (String(a.feed) < String(b.feed) ? -1 : 1))
        expect(byFeed(made.rows)).toEqual(byFeed(after.map((one) => row(one.feed, one))))
      }),
    )
  })
})
