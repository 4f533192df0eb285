import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { ControlEdit } from '../core/control/edits'
import { controlHistory, readControl, saveControl } from '../engine/control/rows'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.own(`create table control.feeds (feed text primary key, n int, active boolean not null default true, store text, note text);
    insert into control.feeds values ('a', 1, true, 'drop', null), ('b', 2, true, 'drop', null);
    insert into mattock.control_table (name, title, schema, "table", rules) values ('feeds', 'Feeds', 'control', 'feeds', '{"store": {"names": "connection"}, "note": {"one_of": ["x"]}}')`)
})
afterAll(() => bench.close())

const read = () => readControl(bench.engine, 'feeds', 'dev')
const save = (edits: Parameters<typeof saveControl>[3], by = 'Ada') =>
  saveControl(bench.engine, 'feeds', 'dev', edits, by)
const versionOf = async (feed: string) => {
  const { rows, versions } = await read()
  return versions[rows.findIndex((row) => row.feed === feed)]!
}

describe('a control table', () => {
  it('is read typed, and sees what others change by SQL', async () => {
    expect((await read()).rows[0]).toEqual({ feed: 'a', n: 1, active: true, store: 'drop', note: null })
    await bench.own(`update control.feeds set n = 7 where feed = 'b'`)
    expect((await read()).rows[1]).toMatchObject({ n: 7 })
  })
  it('takes changes, new rows and removals at once, and keeps who did what', async () => {
    const nasty = `o'brien"; drop table x;--`
    const saved = await save([
      { kind: 'change', key: { feed: 'a' }, version: await versionOf('a'), set: { n: 5, feed: 'a2' } },
      { kind: 'add', set: { feed: nasty, n: 3 } },
      { kind: 'remove', key: { feed: 'b' }, version: await versionOf('b') },
    ])
    expect(saved).toEqual({ saved: 3, conflicts: [] })
    expect((await read()).rows.map(({ feed, n }) => [feed, n])).toEqual([
      ['a2', 5],
      [nasty, 3],
    ])
    const [newest, , first] = await controlHistory(bench.engine, 'feeds')
    expect(newest).toMatchObject({ by: 'Ada', rowKey: 'b', before: { n: 7 }, after: null })
    expect(first).toMatchObject({ rowKey: 'a', before: { n: 1 }, after: { n: 5, feed: 'a2' } })
  })
  it('does not fail where two save the same rows in another order at the same moment', async () => {
    // each waits for a row that the other holds: Postgres breaks one of them off (40P01), which is then done again
    await bench.own(`insert into control.feeds (feed) select 'row ' || g from generate_series(1, 40) g`)
    const keys = Array.from({ length: 40 }, (_, i) => `row ${i + 1}`)
    for (let round = 0; round < 5; round++) {
      const { rows, versions } = await read()
      const edits = (n: number, list: readonly string[]): ControlEdit[] =>
        list.map((feed) => ({
          kind: 'change',
          key: { feed },
          version: versions[rows.findIndex((row) => row.feed === feed)]!,
          set: { n },
        }))
      const ends = await Promise.all([
        save(edits(round * 2, keys)),
        save(edits(round * 2 + 1, [...keys].reverse())),
      ])
      // one of them saved all, the other is told of every row
      expect(ends.map(({ saved, conflicts }) => [saved, conflicts.length]).sort()).toEqual([
        [0, 40],
        [40, 0],
      ])
    }
    await bench.own(`delete from control.feeds where feed like 'row %'`)
  })
  it('tells the later of two who edit one row, and overwrites nothing', async () => {
    const version = await versionOf('a2')
    const edit = (n: number): ControlEdit[] => [
      { kind: 'change', key: { feed: 'a2' }, version, set: { n } },
      { kind: 'add', set: { feed: `by ${n}` } },
    ]
    expect((await save(edit(10), 'Ada')).saved).toBe(2)
    const later = await save(edit(20), 'Ben')
    expect(later).toMatchObject({ saved: 0, conflicts: [{ key: { feed: 'a2' }, now: { n: 10 } }] })
    const { rows } = await read()
    expect(rows.find(({ feed }) => feed === 'a2')).toMatchObject({ n: 10 })
    // all or nothing: the row he added is not there either
    expect(rows.some(({ feed }) => feed === 'by 20')).toBe(false)
    expect(
      (
        await save(
          [{ kind: 'change', key: { feed: 'a2' }, version: later.conflicts[0]!.version!, set: { n: 20 } }],
          'Ben',
        )
      ).saved,
    ).toBe(1)
  })
  it('lets exactly one of many through who save the same row at the same moment', async () => {
    const version = await versionOf('a2')
    const outcomes = await Promise.all(
      Array.from({ length: 8 }, (_, i) =>
        save([{ kind: 'change', key: { feed: 'a2' }, version, set: { n: 100 + i } }]),
      ),
    )
    expect(outcomes.filter(({ saved }) => saved === 1)).toHaveLength(1)
  })
  it.each([
    ['a rule', { store: 'nowhere' }, /no connection "nowhere"/],
    ['a list of values', { note: 'y' }, /one of x/],
    ['an unknown column', { nope: 1 }, /no column "nope"/],
    ['a type', { n: 'many' }, /n takes a whole number/],
  ])('refuses what breaks %s, with its reason', async (_what, set, reason) => {
    await expect(
      save([{ kind: 'change', key: { feed: 'a2' }, version: await versionOf('a2'), set }]),
    ).rejects.toThrow(reason)
  })
  it('refuses a second row of one key', async () => {
    await expect(save([{ kind: 'add', set: { feed: 'a2' } }])).rejects.toThrow(/such a row already/)
  })
})
