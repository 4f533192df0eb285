import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { csvRecords } from './csvRecords'
import { csvLine } from './csvText'
import { findDialect } from './dialect'
import { commonStem, folderValues, groupFiles, nameStem, type ShapedFile } from './grouping'
import { findTable, unnamed } from './header'
import { layOut, recordLists, type NestedType } from './nested'

const word = fc.stringMatching(/^[a-z]{2,6}$/)
const file = (path: string, names: string[], more: Partial<ShapedFile> = {}): ShapedFile => ({
  path,
  names,
  kind: 'csv',
  unnamed: false,
  ...more,
})

describe('files that belong together', () => {
  const files = fc.array(
    fc.record({
      path: fc
        .tuple(fc.constantFrom('a', 'b/c', 'd=1/e'), word, fc.nat(99))
        .map(([folder, name, n]) => `${folder}/${name}_${n}.csv`),
      names: fc.uniqueArray(fc.constantFrom('w', 'x', 'y', 'z'), { minLength: 1 }),
      kind: fc.constantFrom('csv', 'json'),
      unnamed: fc.boolean(),
    }),
    { maxLength: 20 },
  )

  it('are each in one group, and all of a group in one folder, of one kind', () => {
    fc.assert(
      fc.property(files, (list) => {
        const groups = groupFiles(list)
        expect(groups.flatMap((group) => group.files)).toHaveLength(list.length)
        expect(new Set(groups.flatMap((group) => group.files)).size).toBe(list.length)
        for (const group of groups) {
          expect(new Set(group.files.map(({ kind }) => kind)).size).toBe(1)
          expect(new Set(group.files.map(({ path }) => folderValues(path).folder)).size).toBe(1)
          expect(new Set(group.files.map((one) => one.unnamed)).size).toBe(1)
        }
      }),
    )
  })

  it('are the same groups, whatever is asked first within a folder of one shape', () => {
    const days = ['01', '02', '03'].map((day) => file(`drop/flow_202611${day}.csv`, ['a', 'b']))
    const sizes = (list: ShapedFile[]) => groupFiles(list).map((group) => group.files.length)
    expect(sizes(days)).toEqual([3])
    expect(sizes([...days].reverse())).toEqual([3])
  })

  it('do not join for their names alone', () => {
    expect(groupFiles([file('a/x_1.csv', ['a', 'b', 'c']), file('a/x_2.csv', ['q', 'r', 's'])])).toHaveLength(
      2,
    )
    expect(groupFiles([file('a/x_1.csv', ['a', 'b', 'c']), file('a/x_2.csv', ['a', 'b', 'd'])])).toHaveLength(
      1,
    )
  })

  it('share a stem without digits', () => {
    expect(nameStem('a/flow_20261103.csv.gz')).toBe('flow_#')
    expect(commonStem(['a/flow_thornby_2026.csv', 'a/flow_corrie_2026.csv'])).toBe('flow')
    expect(commonStem([])).toBe('')
    expect(commonStem(['a/x.csv', 'a/y.csv'])).toBe('')
  })

  it('have the values of their folders, decoded where they can be', () => {
    expect(folderValues('in/year=2026/name=a%20b/x.csv')).toEqual({
      folder: 'in',
      values: [
        { name: 'year', value: '2026' },
        { name: 'name', value: 'a b' },
      ],
    })
    expect(folderValues('in/p=100%/x.csv').values).toEqual([{ name: 'p', value: '100%' }])
    expect(folderValues('in/p=__HIVE_DEFAULT_PARTITION__/q=/x.csv').values).toEqual([
      { name: 'p', value: null },
      { name: 'q', value: '' },
    ])
    expect(folderValues('in/1=2/x.csv')).toEqual({ folder: 'in/1=2', values: [] })
  })
})

describe('the table in a list of records', () => {
  it('begins below its titles and notes', () => {
    const found = findTable([['Readings of November'], [''], ['meter', 'value'], ['a', '1'], ['b', '2']])
    expect(found).toMatchObject({ skip: 2, header: true, names: ['meter', 'value'], width: 2 })
  })

  it('has no header where its first record is a row like the others', () => {
    expect(
      findTable([
        ['1', '2'],
        ['3', '4'],
      ]),
    ).toMatchObject({ header: false, names: ['column_1', 'column_2'] })
    expect(
      findTable([
        ['a', 'b'],
        ['a', 'c'],
        ['d', 'b'],
      ]),
    ).toMatchObject({ header: false })
    expect(
      findTable([
        ['x', 'x'],
        ['1', '2'],
      ]),
    ).toMatchObject({ header: true, names: ['x', 'x_2'] })
  })

  it('is none where there is nothing', () => {
    expect(findTable([])).toBeUndefined()
    expect(findTable([['', ' '], ['']])).toBeUndefined()
    expect(unnamed(3)).toEqual(['column_1', 'column_2', 'column_3'])
  })
})

describe('the dialect of a text', () => {
  const cell = fc.stringMatching(/^[a-z ]{1,5}$/).filter((text) => text.trim() !== '')
  const rows = (width: number) =>
    fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 2, maxLength: 6 })

  it('is the one it was written in, whatever stands in the cells', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(',', ';', '\t', '|'),
        fc.integer({ min: 2, max: 5 }).chain(rows),
        (delimiter, list) => {
          const header = list[0]!.map((_, i) => `name${String.fromCharCode(97 + i)}`)
          // a cell may hold every other delimiter, within quotes
          const quoted = (fields: string[]) => fields.map((field) => `"${field},;|"`).join(delimiter)
          const text = [header.join(delimiter), ...list.map(quoted)].join('\n')
          const found = findDialect(`${text}\n`)!
          expect(found.names).toEqual(header)
          expect(found.format.delimiter).toBe(delimiter)
        },
      ),
      { numRuns: 100 },
    )
  })

  it('knows a decimal comma from the delimiter', () => {
    expect(findDialect('a;b\n1,5;2\n2,25;3\n')!.format).toMatchObject({ delimiter: ';', decimal: ',' })
    expect(findDialect('a,b\n1.5,2\n')!.format.decimal).toBeUndefined()
  })

  it('passes comments over, and keeps the numbers of the lines', () => {
    const found = findDialect('# made by hand\n# twice\na,b\n1,2\n')!
    expect(found.format).toMatchObject({ comment: '#', header: true })
    expect(found.names).toEqual(['a', 'b'])
  })

  it('is none of a text without records', () => {
    expect(findDialect('')).toBeUndefined()
    expect(findDialect('\n\n')).toBeUndefined()
  })
})

describe('CSV that is written (RFC 4180)', () => {
  it('is read as it was, whatever stands in it', () => {
    const value = fc.oneof(
      fc.string(),
      fc.string({ unit: 'grapheme' }),
      fc.constantFrom('', '"', ',', '\n', '\r\n', ' a ', '10 %', '-10 %', '=1+1'),
    )
    fc.assert(
      fc.property(
        fc.array(fc.array(value, { minLength: 2, maxLength: 4 }), { minLength: 1, maxLength: 5 }),
        (records) => {
          const width = records[0]!.length
          const even = records.map((record) => Array.from({ length: width }, (_, i) => record[i] ?? ''))
          const text = even.map(csvLine).join('')
          expect(csvRecords(text)).toEqual(even)
        },
      ),
    )
  })
})

describe('CSV for people', () => {
  it.each(['=1+1', '+1', '-10 %', '@sum', '\tx', ' '])('brings %j out and in again as it was', (text) =>
    expect(csvRecords(csvLine([text, 'b']))).toEqual([[text, 'b']]),
  )

  it('leaves numbers as they are', () => {
    expect(csvLine([-10, null, undefined, true])).toBe('-10,,,true\r\n')
  })
})

describe('nested documents', () => {
  const plain = (type = 'VARCHAR'): NestedType => ({ kind: 'plain', type })
  const type: fc.Arbitrary<NestedType> = fc.letrec<{ type: NestedType }>((tie) => ({
    type: fc.oneof(
      { maxDepth: 3 },
      fc.constant(plain()),
      fc
        .array(fc.record({ name: word, type: tie('type') }), { minLength: 1, maxLength: 3 })
        .map((fields): NestedType => ({ kind: 'fields', fields })),
      tie('type').map((of): NestedType => ({ kind: 'list', of })),
    ),
  })).type

  it('become tables whose columns have names of their own', () => {
    fc.assert(
      fc.property(type, (document) => {
        for (const { columns } of layOut(document)) {
          const names = columns.map(({ name }) => name)
          expect(new Set(names).size).toBe(names.length)
        }
      }),
    )
  })

  it('have a column for each value that is no list of documents', () => {
    const count = (of: NestedType): number =>
      of.kind === 'plain'
        ? 1
        : of.kind === 'list'
          ? of.of.kind === 'fields'
            ? count(of.of)
            : 1
          : of.fields.reduce((sum, one) => sum + count(one.type), 0)
    fc.assert(
      fc.property(type, (document) => {
        const laid = layOut(document).reduce((sum, { columns }) => sum + columns.length, 0)
        expect(laid).toBe(count(document))
      }),
    )
  })

  it('may hold their records at any depth of fields', () => {
    const list: NestedType = { kind: 'list', of: { kind: 'fields', fields: [{ name: 'id', type: plain() }] } }
    const document: NestedType = {
      kind: 'fields',
      fields: [
        { name: 'data', type: { kind: 'fields', fields: [{ name: 'items', type: list }] } },
        { name: 'tags', type: { kind: 'list', of: plain() } },
        { name: 'more', type: list },
      ],
    }
    expect(recordLists(document)).toEqual(['data.items', 'more'])
    expect(recordLists(plain())).toEqual([])
  })
})
