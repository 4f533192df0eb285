import { describe, expect, it } from 'vitest'
import { compareSchemas, changeText } from './compare'
import { editedColumns, namesFault, settle } from './edits'
import type { FoundColumn } from './found'
import { commonStem, folderValues, groupFiles, nameStem } from '../files/grouping'
import { layOut, recordLists, type NestedType } from '../files/nested'
import { fromTableSchema, toTableSchema } from './tableSchema'

const file = (path: string, names: string[], more = {}) => ({
  path,
  names,
  kind: 'csv',
  unnamed: false,
  ...more,
})
const column = (name: string, type: FoundColumn['type'] = 'text', more = {}): FoundColumn => ({
  name,
  type,
  ...more,
})

describe('which files are one dataset', () => {
  const groups = (files: Parameters<typeof groupFiles>[0]) =>
    groupFiles(files).map(({ folder, stem, files: of }) => `${folder}|${stem}|${of.length}`)
  it('schema is worked out per folder, not per file (common practice, no source)', () => {
    expect(
      groups([
        file('in/flow_a_20260101.csv', ['m', 't', 'flow', 's']), file('in/flow_b_20260101.csv', ['m', 't', 'flow', 's']),
        file('in/press_a_20260101.csv', ['m', 't', 'bar', 's']), file('other/flow_a_1.csv', ['m', 't', 'flow', 's']),
      ]),
    ).toEqual(['in|flow|2', 'in|press_a|1', 'other|flow_a|1']) // prettier-ignore
  })
  it('keeps a file with a new column in its dataset, by the stem of its name', () => {
    expect(
      groups([
        file('x_1.csv', ['a', 'b']), file('x_2.csv', ['a', 'b', 'c']), file('y_3.csv', ['a', 'b', 'c']), file('x_4.csv', ['q']),
      ]),
    ).toEqual(['||3', '|x|1']) // prettier-ignore
  })
  it('never joins other kinds, nor named with unnamed columns', () => {
    expect(groups([file('a.csv', ['x']), file('a.json', ['x'], { kind: 'json' }), file('a1.csv', ['x'], { unnamed: true })])).toHaveLength(3) // prettier-ignore
  })
  it('takes name=value folders out of the folder', () => {
    expect(folderValues('lake/year=2026/area=a%20b/x.csv')).toEqual({
      folder: 'lake', values: [{ name: 'year', value: '2026' }, { name: 'area', value: 'a b' }],
    }) // prettier-ignore
    expect(groups([file('l/y=1/a.csv', ['x']), file('l/y=2/a.csv', ['x'])])).toEqual(['l|a|2'])
  })
  it('names by what the files have in common', () => {
    expect(nameStem('a/flow_thornby_20261122.csv.gz')).toBe('flow_thornby_#')
    expect(commonStem(['flow_thornby_1.csv', 'flow_corrie_1.csv'])).toBe('flow')
    expect(
      commonStem([...Array.from({ length: 20 }, (_, i) => `flow_a_${i}.csv`), 'Copy of flow_a.csv']),
    ).toBe('flow_a')
    expect(commonStem(['apple.csv', 'apricot.csv'])).toBe('')
    expect(commonStem(['2026.csv', '2027.csv'])).toBe('')
  })
})

describe('known against found', () => {
  const known = [column('id', 'integer'), column('read_at', 'date'), column('note')]
  const found = [column('id', 'number'), column('readAt', 'date'), column('note'), column('extra')]
  it('says what is new, gone, changed, and what may have got another name', () => {
    const change = compareSchemas(known, found)
    expect(changeText(change)).toBe('new: readAt, extra; gone: read_at; id was integer, is number')
    expect(change.renamed).toEqual([{ from: 'read_at', to: 'readAt', likeness: 1 }])
    expect(changeText(compareSchemas(known, known))).toBe('')
  })
  it('lets new columns in by the policy only, and holds the rest for a person', () => {
    const more = [...known, column('extra')]
    expect(settle(known, more, 'accept')).toMatchObject({ changed: true, waits: null })
    expect(settle(known, more, 'hold')).toMatchObject({ changed: false, settled: known })
    const both = settle(known, found, 'accept')
    expect(both.settled.map(({ name }) => name)).toEqual(['id', 'read_at', 'note', 'readAt', 'extra'])
    expect(both.waits && changeText(both.waits)).toBe('gone: read_at; id was integer, is number')
  })
  it('what a person edited survives what a survey finds', () => {
    const edits = { column_1: { name: 'meter', type: 'text' as const }, note: { description: 'as typed' } }
    const columns = editedColumns([column('column_1', 'integer', { unnamed: true }), column('note')], edits)
    expect(columns[0]).toMatchObject({ name: 'meter', type: 'text', source: 'column_1', unnamed: false, byHand: ['name', 'type'] }) // prettier-ignore
    expect(columns[1]).toMatchObject({ name: 'note', description: 'as typed', byHand: ['description'] })
    expect(namesFault(editedColumns([column('a'), column('b')], { b: { name: 'a' } }))).toBe(
      'two columns are called "a"',
    )
  })
})

describe('nested documents', () => {
  const plain = (type: string): NestedType => ({ kind: 'plain', type })
  const order: NestedType = {
    kind: 'fields',
    fields: [
      { name: 'id', type: plain('BIGINT') },
      { name: 'site', type: { kind: 'fields', fields: [{ name: 'code', type: plain('VARCHAR') }] } },
      { name: 'site_code', type: plain('VARCHAR') },
      { name: 'labels', type: { kind: 'list', of: plain('VARCHAR') } },
      { name: 'parts', type: { kind: 'list', of: { kind: 'fields', fields: [{ name: 'sku', type: plain('VARCHAR') }] } } },
    ],
  } // prettier-ignore
  it('lays fields out as columns, lists of documents as tables of their own', () => {
    const [top, parts] = layOut(order)
    expect(top!.columns.map(({ name, type }) => `${name} ${type}`)).toEqual([
      'id BIGINT', 'site_code VARCHAR', 'site_code_2 VARCHAR', 'labels list',
    ]) // prettier-ignore
    expect(parts).toEqual({ inner: 'parts', columns: [{ name: 'sku', path: ['sku'], type: 'VARCHAR' }] })
  })
  it('finds where the records lie in an answer', () => {
    const answer: NestedType = {
      kind: 'fields',
      fields: [
        { name: 'total', type: plain('BIGINT') },
        {
          name: 'data',
          type: { kind: 'fields', fields: [{ name: 'items', type: { kind: 'list', of: order } }] },
        },
      ],
    }
    expect(recordLists(answer)).toEqual(['data.items'])
  })
})

describe('Table Schema', () => {
  it('goes out and comes in again as what a person set', () => {
    const columns = editedColumns(
      [column('column_1', 'integer', { unnamed: true }), column('at', 'timestamp')],
      {},
    )
    const schema = toTableSchema(
      editedColumns(columns, { column_1: { name: 'meter', type: 'text' }, at: { description: 'when' } }),
      ['meter'],
    )
    const back = fromTableSchema(schema, columns)
    expect(back).toEqual({
      edits: { column_1: { name: 'meter', type: 'text' }, at: { description: 'when' } }, key: ['meter'], left: [],
    }) // prettier-ignore
  })
  it('says what it could not use', () => {
    const columns = editedColumns([column('a')], {})
    const { left, key } = fromTableSchema({ fields: [{ name: 'a', type: 'geopoint' }, { name: 'z' }], primaryKey: 'q' }, columns) // prettier-ignore
    expect(left).toHaveLength(3)
    expect(key).toEqual([])
  })
})
