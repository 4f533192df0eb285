import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { rowCheck } from '../control/rowRules'
import { rangeTable } from '../roster/range'
import { typedTable } from '../roster/typed'
import type { Column } from '../value'
import { quoteName } from './slot'
import { parseTemplate } from './template'

describe('a text with expressions', () => {
  const literal = fc.string({ minLength: 1 })
  const doubled = (text: string) => text.replaceAll('{', '{{').replaceAll('}', '}}')

  it('without any is itself, its braces doubled', () => {
    fc.assert(
      fc.property(literal, (text) => {
        expect(parseTemplate(doubled(text))).toEqual([{ kind: 'literal', text, offset: 0 }])
      }),
    )
  })

  it('is cut where its expressions stand, whatever stands between them', () => {
    // an expression that begins with a map has a blank before it: two braces are one letter
    const source = fc.constantFrom('row.a', 'row["}"]', `'{'`, ' {"a": 1}["a"]', 'f(x, "\\"}")')
    fc.assert(
      fc.property(fc.array(fc.tuple(literal, source), { minLength: 1, maxLength: 4 }), (parts) => {
        const text = parts.map(([before, expression]) => `${doubled(before)}{${expression}}`).join('')
        const pieces = parseTemplate(text)
        expect(pieces.map((piece) => (piece.kind === 'literal' ? piece.text : piece.source))).toEqual(
          parts.flat(),
        )
        for (const piece of pieces)
          if (piece.kind === 'expression')
            expect(text.slice(piece.offset, piece.offset + piece.source.length)).toBe(piece.source)
      }),
    )
  })

  it('is read, or its mistake stands within it', () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        try {
          parseTemplate(text)
        } catch (error) {
          const { offset } = (error as { fault: { where: { offset: number } } }).fault.where
          expect(offset).toBeGreaterThanOrEqual(0)
          expect(offset).toBeLessThan(text.length)
        }
      }),
    )
  })
})

describe('a name in SQL', () => {
  it('is quoted so that it ends where it ends', () => {
    fc.assert(
      fc.property(
        fc.string({ minLength: 1 }).filter((name) => !name.includes('\0')),
        (name) => {
          const quoted = quoteName(name)
          expect(quoted.startsWith('"') && quoted.endsWith('"')).toBe(true)
          expect(quoted.slice(1, -1).replaceAll('""', '')).not.toContain('"')
          expect(quoted.slice(1, -1).replaceAll('""', '"')).toBe(name)
        },
      ),
    )
  })
})

describe('a range', () => {
  it('of whole numbers has both ends, and every step between', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -500, max: 500 }),
        fc.nat(200),
        fc.integer({ min: 1, max: 7 }),
        (from, length, step) => {
          const { rows, columns } = rangeTable({ as: 'n', from, to: from + length * step, step })
          expect(rows.map(({ n }) => n)).toEqual(
            Array.from({ length: length + 1 }, (_, i) => from + i * step),
          )
          expect(columns).toEqual([{ name: 'n', type: 'integer' }])
        },
      ),
    )
  })

  it('of days has each day once, over leap days and clock changes', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 20_000 }), fc.integer({ min: 0, max: 400 }), (start, length) => {
        const day = (n: number) => new Date(n * 86_400_000).toISOString().slice(0, 10)
        const { rows } = rangeTable({ as: 'd', from: day(start), to: day(start + length), step: 'P1D' })
        expect(rows.map(({ d }) => d)).toEqual(Array.from({ length: length + 1 }, (_, i) => day(start + i)))
      }),
      { numRuns: 50 },
    )
  })

  it('of months keeps to the end of the month where it begins there', () => {
    const { rows } = rangeTable({ as: 'm', from: '2024-01-31', to: '2024-04-30', step: 'P1M' })
    expect(rows.map(({ m }) => m)).toEqual(['2024-01-31', '2024-02-29', '2024-03-31', '2024-04-30'])
  })

  it('that cannot end, or is no range, is refused in words', () => {
    for (const range of [
      { from: 1, to: 5, step: 0 },
      { from: '2026-01-01', to: '2026-02-01', step: 'P0D' },
      { from: 'yesterday', to: '2026-02-01', step: 'P1D' },
      { from: 0, to: 1e9, step: 1 },
    ])
      expect(() => rangeTable({ as: 'n', ...range })).toThrow(/range|step/)
  })
})

describe('rows that are typed in', () => {
  it('have every column that any of them has, typed by its first value', () => {
    const cell = fc.oneof(fc.string(), fc.integer(), fc.boolean(), fc.constant(null))
    fc.assert(
      fc.property(fc.array(fc.dictionary(fc.constantFrom('a', 'b', 'c'), cell), { maxLength: 5 }), (rows) => {
        const { columns, key } = typedTable(rows)
        const named = new Set(
          rows.flatMap((row) =>
            Object.entries(row)
              .filter(([, value]) => value !== null)
              .map(([name]) => name),
          ),
        )
        expect(new Set(columns.map(({ name }) => name))).toEqual(named)
        expect(key).toHaveLength(columns.length > 0 ? 1 : 0)
      }),
    )
  })
})

describe('a rule over a row', () => {
  const columns: Column[] = [
    { name: 'a', type: 'integer' },
    { name: 'b', type: 'text' },
  ]

  it('holds where its expression is true, and only there', () => {
    const check = rowCheck(columns, { a: { holds: 'row.a > 3 || row.b == "x"' } })
    expect(check({ a: 5, b: '' })).toEqual([])
    expect(check({ a: 1, b: 'x' })).toEqual([])
    expect(check({ a: 1, b: 'y' })).toMatchObject([{ column: 'a' }])
  })

  it('that cannot be read, or worked out, does not hold, and says so', () => {
    expect(rowCheck(columns, { a: { holds: 'row.' } })({ a: 1, b: '' })).toMatchObject([{ column: 'a' }])
    expect(rowCheck(columns, { a: { holds: 'row.missing == 1' } })({ a: 1, b: '' })).toHaveLength(1)
    // true is meant, and nothing that is like it
    expect(rowCheck(columns, { a: { holds: 'row.a' } })({ a: 1, b: '' })).toHaveLength(1)
    expect(rowCheck(columns, { a: { holds: '  ' } })({ a: 1, b: '' })).toEqual([])
  })
})
