import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { editedColumns, namesFault, settle, type ColumnEdits } from './edits'
import { changeText, compareSchemas, isSame } from './compare'
import { misfits } from './fits'
import type { FoundColumn } from './found'
import { leastLikeness, suggestMapping } from './mapping'

const names = fc.uniqueArray(fc.stringMatching(/^[a-z_]{1,8}$/), { maxLength: 6 })
const column = (name: string, type: FoundColumn['type'] = 'text'): FoundColumn =>
  ({ name, type }) as FoundColumn
const schema = fc
  .uniqueArray(
    fc.record({
      name: fc.constantFrom('a', 'b', 'c', 'd', 'e'),
      type: fc.constantFrom('text' as const, 'integer' as const),
    }),
    { selector: ({ name }) => name },
  )
  .map((list) => list.map(({ name, type }) => column(name, type)))

describe('which column goes where', () => {
  it('uses each column once, and leaves none unsaid', () => {
    fc.assert(
      fc.property(names, names, (sources, targets) => {
        const { columns, unused } = suggestMapping(sources, targets)
        expect(columns.map(({ target }) => target)).toEqual(targets)
        const used = columns.flatMap(({ source }) => source ?? [])
        expect(new Set(used).size).toBe(used.length)
        expect([...used, ...unused].sort()).toEqual([...sources].sort())
      }),
    )
  })

  it('is the same name before any guess, and no guess below the least likeness', () => {
    fc.assert(
      fc.property(names, names, (sources, targets) => {
        for (const { target, source, likeness, why } of suggestMapping(sources, targets).columns) {
          if (sources.includes(target)) expect(source).toBe(target)
          if (why === 'like') expect(likeness!).toBeGreaterThanOrEqual(leastLikeness)
          if (why === 'none') expect(source).toBeNull()
        }
      }),
    )
  })

  it('is what the job gives before all else, and does not depend on the order of what is asked', () => {
    const given = { meter_id: 'value' }
    const { columns } = suggestMapping(['meter_id', 'value'], ['meter_id', 'value'], given)
    expect(columns).toMatchObject([
      { target: 'meter_id', source: 'value', why: 'given' },
      { target: 'value', source: null },
    ])
    expect(suggestMapping([' Meter '], ['meter']).columns[0]).toMatchObject({
      source: ' Meter ',
      why: 'same',
    })
    // a name of the prototype is a name like others
    expect(suggestMapping(['constructor'], ['constructor', 'toString'], {}).columns).toMatchObject([
      { source: 'constructor' },
      { source: null },
    ])
  })
})

describe('a schema against the one that is known', () => {
  it('is the same as itself, and only as itself', () => {
    fc.assert(
      fc.property(schema, schema, (known, found) => {
        expect(isSame(compareSchemas(known, known))).toBe(true)
        const text = (list: readonly FoundColumn[]) =>
          JSON.stringify([...list].sort((a, b) => (a.name < b.name ? -1 : 1)))
        expect(isSame(compareSchemas(known, found))).toBe(text(known) === text(found))
      }),
    )
  })

  it('says in words what is otherwise, and nothing where nothing is', () => {
    expect(changeText(compareSchemas([column('a')], [column('a')]))).toBe('')
    const text = changeText(compareSchemas([column('a'), column('b')], [column('a', 'integer'), column('c')]))
    for (const name of ['a', 'b', 'c']) expect(text).toContain(name)
  })

  it('takes new columns in where they are accepted, and never loses a known one by itself', () => {
    fc.assert(
      fc.property(
        schema,
        schema,
        fc.constantFrom('accept' as const, 'hold' as const),
        (known, found, policy) => {
          const { settled, waits, changed } = settle(known, found, policy)
          for (const { name } of known) expect(settled.some((one) => one.name === name)).toBe(true)
          if (policy === 'hold') expect(changed).toBe(false)
          if (waits === null) expect(isSame(compareSchemas(settled, found))).toBe(true)
        },
      ),
    )
  })
})

describe('what a person says of columns', () => {
  it('stands over what is found, and says what of it is by hand', () => {
    const edits: ColumnEdits = { a: { name: 'meter', type: 'integer' } }
    expect(editedColumns([column('a'), column('b')], edits)).toMatchObject([
      { source: 'a', name: 'meter', type: 'integer', byHand: ['name', 'type'] },
      { source: 'b', name: 'b', type: 'text', byHand: [] },
    ])
    expect(editedColumns([column('constructor')], {})[0]).toMatchObject({ name: 'constructor', byHand: [] })
  })

  it('gives each column a name of its own', () => {
    expect(namesFault(editedColumns([column('a'), column('b')], { a: { name: 'b' } }))).toBe(
      'two columns are called "b"',
    )
    expect(namesFault(editedColumns([column('a')], { a: { name: '  ' } }))).toBe('a column has no name')
    expect(namesFault(editedColumns([column('a'), column('b')], {}))).toBeUndefined()
  })
})

describe('values that do not fit a type', () => {
  it.each([
    [['1', '-2', ' 3 '], 'integer', 0],
    [['1', '1.5'], 'integer', 1],
    [['007', '1.0', '2147483648'], 'integer', 1],
    [['1', '1.5'], 'double precision', 0],
    [['1,5'], 'double precision', 1],
    [['12345.6', '1.234', '1.230'], 'numeric(6,2)', 2],
    [['Sallow', 'Hexley '], 'character varying(6)', 1],
    [['true', 'false', 'perhaps'], 'boolean', 1],
    [['2026-02-30'], 'date', 1],
    [['', null, '  '], 'integer', 0],
    [['anything at all'], 'text', 0],
    [['anything at all'], 'an_enum_of_theirs', 0],
  ] as const)('%j as %s: %d', (values, type, count) => expect(misfits(values, type).count).toBe(count))

  it('are counted by the decimal comma where that is said', () => {
    expect(misfits(['1,5', '2'], 'numeric', { decimal: ',' }).count).toBe(0)
    expect(misfits(['1.5'], 'numeric', { decimal: ',' })).toEqual({ count: 1, first: '1.5' })
  })
})
