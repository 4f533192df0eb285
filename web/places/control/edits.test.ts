import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { applyEdits } from '../../../core/control/edits'
import { rowCheck } from '../../../core/control/rowRules'
import type { Row } from '../../../core/value'
import { field, type Draft, replaceIn } from '../../kit/drafts' // prettier-ignore
import { cellText, changesOf, draftsOf, emptyDraft, idsOf, mergeShown, putBack, wholeView, type ControlAnswer } from './edits' // prettier-ignore

const columns = [
  { name: 'feed', type: 'text' },
  { name: 'n', type: 'integer' },
  { name: 'active', type: 'boolean' },
  { name: 'due', type: 'time' },
] as const
const tableOf = (rows: Row[], more: Partial<ControlAnswer> = {}): ControlAnswer => ({
  name: 'feeds',
  title: 'Feeds',
  where: { connection: null, schema: 'control', table: 'feeds' },
  columns: [...columns],
  key: ['feed'],
  rows,
  versions: rows.map((_, i) => `v${i}`),
  rules: {},
  known: { connection: ['drop'], dataset: [] },
  jobs: [],
  ...more,
})
const row = (feed: string, more: Row = {}): Row => ({ feed, n: 1, active: true, due: '05:30:00', ...more })
const set = (draft: Draft, cells: Record<string, string>): Draft => ({
  ...draft,
  ...Object.fromEntries(Object.entries(cells).map(([name, text]) => [field(name), text])),
})
const changes = (table: ControlAnswer, edit: (drafts: Draft[]) => Draft[]) => {
  const original = draftsOf(table)
  return changesOf(table, original, edit(original), rowCheck(table.columns, table.rules))
}

describe('cells', () => {
  it.each([
    [true, columns[2], 'yes'],
    [false, columns[2], 'no'],
    [null, columns[2], ''],
    ['05:30:00', columns[3], '05:30'],
    ['05:00:00', columns[3], '05:00'],
    ['05:30:15', columns[3], '05:30:15'],
    [0, columns[1], '0'],
    ['9007199254740993', columns[1], '9007199254740993'],
  ])('%j stands as %j', (value, column, text) => expect(cellText(value, column)).toBe(text))
})

describe('what the rows of the editor change', () => {
  it('is nothing while nothing is typed, or what was typed is what was there', () => {
    const table = tableOf([row('a'), row('b')])
    expect(changes(table, (drafts) => drafts)).toEqual([])
    expect(changes(table, (drafts) => drafts.map((draft) => set(draft, { n: '1' })))).toEqual([])
  })

  it('is the cells that differ, as values of their types, with the version that was read', () => {
    const [change] = changes(tableOf([row('a'), row('b')]), ([a, b]) => [
      a!,
      set(b!, { n: '7', active: 'no', due: '' }),
    ])
    expect(change).toMatchObject({
      kind: 'change',
      key: 'b',
      faults: [],
      edit: { kind: 'change', key: { feed: 'b' }, version: 'v1', set: { n: 7, active: false, due: null } },
    })
  })

  it('is a row that came, without the cells that are empty, and one that went', () => {
    const table = tableOf([row('a')])
    const found = changes(table, () => [set(emptyDraft(table), { feed: 'c', n: '2' })])
    expect(found.map(({ edit }) => edit)).toEqual([
      { kind: 'add', set: { feed: 'c', n: 2 } },
      { kind: 'remove', key: { feed: 'a' }, version: 'v0' },
    ])
  })

  it('says what is wrong with a cell, a key and a rule', () => {
    const table = tableOf([row('a')], { rules: { n: { required: true }, feed: { names: 'connection' } } })
    const faultsOf = (edit: (drafts: Draft[]) => Draft[]) =>
      changes(table, edit).flatMap(({ faults }) => faults)
    expect(faultsOf(([a]) => [set(a!, { n: 'many' })])).toEqual([
      { column: 'n', message: 'n takes a whole number' },
    ])
    expect(faultsOf(([a]) => [set(a!, { n: '' })])).toEqual([{ column: 'n', message: 'n needs a value' }])
    expect(faultsOf(([a]) => [set(a!, { feed: 'nowhere' })])[0]!.message).toBe(
      'there is no connection "nowhere"',
    )
    const fresh = faultsOf((drafts) => [...drafts, set(emptyDraft(table), { n: '1' })])
    expect(fresh.map(({ column }) => column)).toContain('feed')
  })

  it('marks rows that get the key of another, and not those whose keys only read alike', () => {
    const found = changes(tableOf([row('a'), row('b')]), ([a, b]) => [a!, set(b!, { feed: 'a' })])
    expect(found[0]!.faults).toEqual([{ column: 'feed', message: 'there is another row a' }])
    const empty = changes(tableOf([]), () => [emptyDraft(tableOf([])), emptyDraft(tableOf([]))])
    expect(empty.flatMap(({ faults }) => faults.map(({ message }) => message))).toEqual([
      'feed needs a value',
      'feed needs a value',
    ])
    const two = tableOf([row('x · y', { due: '01:00' }), row('x', { due: '02:00' })], {
      key: ['feed', 'note'],
      columns: [{ name: 'feed', type: 'text' }, { name: 'note', type: 'text' }],
      rows: [{ feed: 'x · y', note: 'z' }, { feed: 'x', note: 'q' }],
    }) // prettier-ignore
    expect(changes(two, ([a, b]) => [a!, set(b!, { note: 'y · z' })])[0]!.faults).toEqual([])
  })

  it('marks a value that is to be unique and stands twice', () => {
    const found = changes(tableOf([row('a', { n: 1 }), row('b', { n: 2 })], { rules: { n: { unique: true } } }), ([a, b]) => [a!, set(b!, { n: '1' })]) // prettier-ignore
    expect(found[0]!.faults[0]!.message).toBe('n is to be unique, and "1" stands twice')
  })

  it('makes of the table what the editor shows, whatever was done', () => {
    const cells = fc.record({
      n: fc.integer({ min: 0, max: 9 }).map(String),
      active: fc.constantFrom('yes', 'no', ''),
    })
    const step = fc.oneof(
      fc.record({ do: fc.constant('set' as const), at: fc.nat(), cells }),
      fc.record({ do: fc.constant('remove' as const), at: fc.nat(), cells }),
      fc.record({ do: fc.constant('add' as const), at: fc.nat(), cells }),
    )
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 5 }), fc.array(step, { maxLength: 8 }), (size, steps) => {
        const table = tableOf(Array.from({ length: size }, (_, i) => row(`r${i}`)))
        let fresh = 0
        const edited = (drafts: Draft[]) =>
          steps.reduce<Draft[]>((now, { do: what, at, cells: given }) => {
            if (what === 'add') return [...now, set(emptyDraft(table), { feed: `new${fresh++}`, ...given })]
            if (now.length === 0) return now
            const i = at % now.length
            return what === 'remove'
              ? now.filter((_, j) => j !== i)
              : now.map((draft, j) => (j === i ? set(draft, given) : draft))
          }, drafts)
        const original = draftsOf(table)
        const drafts = edited(original)
        const edits = changesOf(table, original, drafts, rowCheck(table.columns, {})).map(({ edit }) => edit)
        const made = applyEdits(table, edits)
        const shown = (list: readonly Draft[]) =>
          list.map((draft) => columns.map(({ name }) => draft[field(name)] ?? '').join('|')).sort()
        expect(shown(draftsOf(tableOf([...made.rows])))).toEqual(shown(drafts))
      }),
      { numRuns: 200 },
    )
  })
})

describe('a row that is put back', () => {
  it('stands as it was read, where it stood', () => {
    const table = tableOf([row('a'), row('b'), row('c')])
    const original = draftsOf(table)
    const changed = original.map((draft, i) => (i === 1 ? set(draft, { n: '9' }) : draft))
    expect(putBack(original, changed, 1)).toEqual(original)
    for (const at of [0, 1, 2])
      expect(
        putBack(
          original,
          original.filter((_, i) => i !== at),
          at,
        ),
      ).toEqual(original)
  })
})

describe('the rows that are seen', () => {
  const table = tableOf([
    row('b10', { n: 10 }),
    row('b9', { n: 9 }),
    row('a', { n: null }),
    row('c', { n: 100, active: false }),
  ])
  const drafts = draftsOf(table)
  const seen = (view: object) => {
    const byId = new Map(drafts.map((draft) => [draft.id, draft[field('feed')]]))
    return idsOf(table, drafts, { ...wholeView, ...view }).map((id) => byId.get(id))
  }

  it('are those that hold what is looked for, in any column or in one', () => {
    expect(seen({ filter: 'B' })).toEqual(['b10', 'b9'])
    expect(seen({ filter: '10', column: 'n' })).toEqual(['b10', 'c'])
    expect(seen({ filter: 'no', column: 'active' })).toEqual(['c'])
    expect(seen({})).toEqual(['b10', 'b9', 'a', 'c'])
  })

  it('are those of one key, and new ones while they get theirs', () => {
    expect(seen({ key: 'b9' })).toEqual(['b9'])
    expect(seen({ key: 'b' })).toEqual([])
    expect(seen({ key: 'b9', filter: 'c' })).toEqual([])
    const fresh = emptyDraft(table)
    expect(idsOf(table, [...drafts, fresh], { ...wholeView, key: 'a' })).toEqual([drafts[2]!.id, fresh.id])
  })

  it('are sorted as what they are, empty cells last either way', () => {
    expect(seen({ sort: { column: 'n', down: false } })).toEqual(['b9', 'b10', 'c', 'a'])
    expect(seen({ sort: { column: 'n', down: true } })).toEqual(['c', 'b10', 'b9', 'a'])
    expect(seen({ sort: { column: 'feed', down: false } })).toEqual(['a', 'b9', 'b10', 'c'])
  })

  it('give back what was done to them, and leave the others alone', () => {
    const shown = drafts.filter((draft) => draft[field('feed')]!.startsWith('b'))
    const changed = set(shown[0]!, { n: '77' })
    const fresh = set(emptyDraft(table), { feed: 'fresh' })
    expect(mergeShown(drafts, shown, [changed, fresh])).toEqual([changed, fresh, drafts[2], drafts[3]])
    expect(mergeShown(drafts, shown, shown)).toEqual(drafts)
    expect(mergeShown(drafts, shown, [])).toEqual([drafts[2], drafts[3]])
    expect(mergeShown(drafts, shown, [fresh, ...shown])[0]).toBe(fresh)
  })
})

describe('find and replace', () => {
  const table = tableOf([row('north.csv'), row('south.csv'), row('csv')])
  const names = table.columns.map(({ name }) => name)
  const drafts = draftsOf(table)
  const all = new Set(drafts.map(({ id }) => id))
  const feeds = (list: readonly Draft[]) => list.map((draft) => draft[field('feed')])

  it('changes every place in the rows that are seen, and counts cells', () => {
    const { drafts: next, cells } = replaceIn(names, drafts, all, {
      find: 'csv',
      by: 'txt',
      column: '',
      whole: false,
    })
    expect([feeds(next), cells]).toEqual([['north.txt', 'south.txt', 'txt'], 3])
    const some = replaceIn(names, drafts, new Set([drafts[0]!.id]), {
      find: 'csv',
      by: 'txt',
      column: '',
      whole: false,
    })
    expect([feeds(some.drafts), some.cells]).toEqual([['north.txt', 'south.csv', 'csv'], 1])
  })

  it('takes letters for letters, and whole cells where that is asked', () => {
    expect(
      replaceIn(names, drafts, all, { find: '.', by: '$&', column: 'feed', whole: false }).drafts[0]![
        field('feed')
      ],
    ).toBe('north$&csv')
    expect(
      feeds(replaceIn(names, drafts, all, { find: 'csv', by: 'x', column: 'feed', whole: true }).drafts),
    ).toEqual(['north.csv', 'south.csv', 'x'])
  })

  it('does nothing for nothing', () => {
    expect(replaceIn(names, drafts, all, { find: '', by: 'x', column: '', whole: false }).cells).toBe(0)
    expect(replaceIn(names, drafts, all, { find: 'csv', by: 'csv', column: '', whole: false }).cells).toBe(0)
  })
})
