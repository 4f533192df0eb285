import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { jaro, jaroWinkler, likeness } from './likeness'
import { suggestMapping } from './mapping'

/**
 * Pairs of Winkler's table of string comparators (Winkler 1990; the same pairs in Winkler, "Advanced Methods for
 * Record Linkage", 1994, Table 2), to the three digits given there. Quoted from memory. Pairs that the table sets to 0
 * because they share too little are left out: it cuts there, we do not.
 */
const pairs = [
  ['SHACKLEFORD', 'SHACKELFORD', 0.97, 0.982], ['DUNNINGHAM', 'CUNNIGHAM', 0.896, 0.896],
  ['NICHLESON', 'NICHULSON', 0.926, 0.956], ['JONES', 'JOHNSON', 0.79, 0.832],
  ['MASSEY', 'MASSIE', 0.889, 0.933], ['ABROMS', 'ABRAMS', 0.889, 0.922],
  ['JERALDINE', 'GERALDINE', 0.926, 0.926], ['MARHTA', 'MARTHA', 0.944, 0.961],
  ['MICHELLE', 'MICHAEL', 0.869, 0.921], ['JULIES', 'JULIUS', 0.889, 0.933],
  ['TANYA', 'TONYA', 0.867, 0.88], ['DWAYNE', 'DUANE', 0.822, 0.84],
  ['SEAN', 'SUSAN', 0.783, 0.805], ['JON', 'JOHN', 0.917, 0.933],
] as const // prettier-ignore

describe('likeness of names', () => {
  it.each(pairs)('%s and %s', (a, b, plain, winkler) => {
    expect(jaro(a, b)).toBeCloseTo(plain, 3)
    expect(jaroWinkler(a, b)).toBeCloseTo(winkler, 3)
  })
  it('is the same both ways, between 0 and 1, and 1 for the same name', () => {
    const name = fc.string({ maxLength: 12 })
    fc.assert(
      fc.property(name, name, (a, b) => {
        const value = jaroWinkler(a, b)
        expect(value).toBeGreaterThanOrEqual(0)
        expect(value).toBeLessThanOrEqual(1)
        expect(jaro(b, a)).toBeCloseTo(jaro(a, b), 12)
        expect(jaroWinkler(a, a)).toBe(1)
      }),
    )
  })
  it('takes names written another way as the same words', () => {
    expect(likeness('readAt', 'read_at')).toBe(1)
    expect(likeness('date read', 'read_date')).toBeGreaterThan(0.98)
    expect(likeness('meter', 'pressure')).toBeLessThan(0.82)
  })
})

describe('mapping', () => {
  const mapped = (sources: string[], targets: string[], given = {}) =>
    Object.fromEntries(
      suggestMapping(sources, targets, given).columns.map(({ target, source, why }) => [
        target,
        `${source ?? ''} ${why}`.trim(),
      ]),
    )
  it('takes what is given first, then the same names, then the likest', () => {
    expect(mapped(['Meter ', 'ReadAt', 'val', 'kind'], ['meter', 'read_at', 'value', 'kind'], { kind: 'val' })).toEqual({
      meter: 'Meter  same', read_at: 'ReadAt like', value: 'none', kind: 'val given',
    }) // prettier-ignore
  })
  it('uses each column once, and says what goes nowhere', () => {
    const mapping = suggestMapping(['name', 'name_2', 'stray'], ['name', 'name2'])
    expect(mapping.columns.map(({ source }) => source)).toEqual(['name', 'name_2'])
    expect(mapping.unused).toEqual(['stray'])
  })
  it('never gives a column twice, whatever the names', () => {
    const names = fc.uniqueArray(fc.string({ minLength: 1, maxLength: 6 }), { maxLength: 8 })
    fc.assert(
      fc.property(names, names, (sources, targets) => {
        const { columns, unused } = suggestMapping(sources, targets)
        const used = columns.flatMap(({ source }) => source ?? [])
        expect(new Set(used).size).toBe(used.length)
        expect([...used, ...unused].sort()).toEqual([...sources].sort())
      }),
    )
  })
})
