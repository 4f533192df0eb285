import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { applyEdits, keyOf, undoChanges, type ControlChange, type ControlEdit } from '../control/edits'
import type { Row } from '../value'
import { comparePlans, loadChanges } from './compare'
import { effectOf } from './effect'
import { feeds, plan, type Ask } from './planned.fixture'

const row = (feed: string, target = 'flow', active = true): Row => ({ feed, kind: 'flow', target, active })
const compare = (before: Ask, after: Ask) => comparePlans(plan(before), plan(after))
const oneDay = { span: '2026-11-01' }

describe('comparing plans', () => {
  it('finds nothing between a plan and itself, whatever its rows and slices', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.constantFrom('a', 'b', 'c', 'd'), fc.boolean()), { maxLength: 8 }),
        (list) => {
          // keys may repeat
          const made = plan({ rows: list.map(([feed, active]) => row(feed, 'flow', active)) })
          expect(comparePlans(made, made)).toMatchObject({
            added: [],
            gone: [],
            changed: [],
            same: made.loads.length,
          })
        },
      ),
      { numRuns: 30 },
    )
  })
  it('every load is added, gone, changed or the same, and turning it round turns added and gone round', () => {
    const rows = fc.uniqueArray(fc.tuple(fc.constantFrom(...'abcdefgh'), fc.constantFrom('flow', 'level')), {
      selector: ([feed]) => feed,
    })
    fc.assert(
      fc.property(rows, rows, (first, second) => {
        const before = plan({ ...oneDay, rows: first.map(([feed, target]) => row(feed, target)) })
        const after = plan({ ...oneDay, rows: second.map(([feed, target]) => row(feed, target)) })
        const { added, gone, changed, same } = comparePlans(before, after)
        expect(added.length + changed.length + same).toBe(after.loads.length)
        expect(gone.length + changed.length + same).toBe(before.loads.length)
        const back = comparePlans(after, before)
        expect([back.added.length, back.gone.length, back.changed.length]).toEqual([gone.length, added.length, changed.length]) // prettier-ignore
        // what it says agrees with the rows themselves
        const was = new Map(first)
        expect(added.map((n) => after.loads[n]!.key.split(' ')[0])).toEqual(second.filter(([feed]) => !was.has(feed)).map(([feed]) => feed)) // prettier-ignore
        expect(changed).toHaveLength(second.filter(([feed, target]) => was.has(feed) && was.get(feed) !== target).length) // prettier-ignore
      }),
      { numRuns: 40 },
    )
  })
  it('names the text that changes, over all loads and for each', () => {
    const before = plan({ ...oneDay, rows: [row('a'), row('b')] })
    const after = plan({ ...oneDay, rows: [row('a', 'level'), row('b')] })
    const { changed, texts } = comparePlans(before, after)
    expect(texts).toEqual([
      {
        step: 'bring',
        path: 'transfer.into.table',
        label: 'target',
        before: 'raw.flow',
        after: 'raw.level',
        count: 1,
      },
    ])
    expect(loadChanges(before, after, changed[0]!)).toEqual([
      { step: 'bring', path: 'transfer.into.table', label: 'target', before: 'raw.flow', after: 'raw.level' },
    ])
  })
  it('sees values that are bound into a statement', () => {
    const statement = (text: string): Ask => ({
      ...oneDay,
      steps: `      - {id: bring, sql: {on: wh, text: ${JSON.stringify(text)}}}`,
      rows: [row('a')],
    })
    const { texts } = compare(
      statement("select {'x'}, {row.feed}, {slice.from}"),
      statement("select {'y'}, {row.feed}, {slice.from}"),
    )
    expect(texts[0]).toMatchObject({
      before: expect.stringContaining('"x"'),
      after: expect.stringContaining('"y"'),
    })
  })
  it('knows slices by their span, and a step that is new', () => {
    expect(compare({ span: '2026-11-01' }, { span: '2026-11-02' })).toMatchObject({ same: 0, changed: [] })
    const two: Ask = {
      ...oneDay,
      steps: `      - id: bring
        transfer:
          from: {store: drop, files: "{row.kind}_{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: wh, table: "raw.{row.target}", write: upsert, key: [id]}
      - {id: tell, sql: {on: wh, text: "select 1"}}`,
    }
    const { changed, texts } = compare(oneDay, two)
    expect(changed).toHaveLength(2)
    expect(texts.map(({ step, before }) => [step, before])).toEqual([
      ['tell', null],
      ['tell', null],
    ])
  })
})

describe('what a change does', () => {
  it('tells loads and findings that come and go', () => {
    const empty = plan({ ...oneDay, rows: [row('a', '')] })
    const mended = plan({ ...oneDay, rows: [row('a'), row('b')] })
    const effect = effectOf(empty, mended)
    expect(effect).toMatchObject({ added: 1, gone: 0, changed: 1, same: 0, addedKeys: ['b · 2026-11-01'] })
    expect(effect.changes[0]).toMatchObject({ key: 'a · 2026-11-01' })
    expect(effect.go.map(({ code }) => code)).toEqual(['empty-value'])
    expect(effect.come).toEqual([])
  })
})

describe('edits of a control table', () => {
  const table = { ...feeds, rows: [row('a'), row('b')] }
  const edits: ControlEdit[] = [
    { kind: 'change', key: { feed: 'a' }, version: '1', set: { target: 'level' } },
    { kind: 'remove', key: { feed: 'b' }, version: '1' },
    { kind: 'add', set: { feed: 'c', active: true } },
  ]
  it('are applied as saving them would', () => {
    expect(applyEdits(table, edits).rows).toEqual([
      row('a', 'level'),
      { feed: 'c', kind: null, target: null, active: true },
    ])
  })
  it('are undone by the history that saving them leaves, whatever they are', () => {
    const edit = fc.tuple(
      fc.constantFrom('change', 'add', 'remove'),
      fc.constantFrom('a', 'b', 'c', 'd'),
      fc.string(),
    )
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 12 }), (list) => {
        let now = table
        const history: ControlChange[] = []
        for (const [kind, feed, target] of list) {
          const old = now.rows.find((entry) => entry.feed === feed)
          if ((kind === 'add') === (old !== undefined)) continue
          const made: ControlEdit =
            kind === 'add'
              ? { kind, set: row(feed, target) }
              : kind === 'change'
                ? { kind, key: { feed }, version: '', set: { target } }
                : { kind: 'remove', key: { feed }, version: '' }
          now = applyEdits(now, [made])
          const next = now.rows.find((entry) => entry.feed === feed)
          history.unshift({ rowKey: feed, before: old ?? null, after: next ?? null })
        }
        const sorted = (rows: readonly Row[]) =>
          [...rows].sort((x, y) => (String(x.feed) < String(y.feed) ? -1 : 1))
        expect(sorted(undoChanges(now, history).rows)).toEqual(sorted(table.rows))
      }),
    )
  })
  it('know a row by its whole key', () => {
    expect(keyOf({ key: ['kind', 'feed'] }, row('a'))).toEqual({ kind: 'flow', feed: 'a' })
  })
})
