import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import { celCompiler, plainValue } from './cel'

const compile = celCompiler('UTC')
const value = (source: string, row: Record<string, string | null> = {}) =>
  plainValue(compile(source).evaluate({ row }))
const fault = (source: string) => {
  try {
    return `gave ${String(value(source))}`
  } catch (error) {
    return (error as Error).message.replace(/^.* cannot be worked out: /, '')
  }
}

/** CEL's specification, "Type Conversions": a text that is no such value is an error, whatever a language makes of it. */
describe('conversions of texts', () => {
  it.each([
    [`int('')`, 'an empty text is no whole number'],
    [`int('  ')`, 'an empty text is no whole number'],
    [`int('0x10')`, '"0x10" is no whole number'],
    [`int(' 12')`, '" 12" is no whole number'],
    [`int('1.0')`, '"1.0" is no whole number'],
    [`int('1_000')`, '"1_000" is no whole number'],
    [`int('9223372036854775808')`, /is not from -9223372036854775808 to 9223372036854775807/],
    [`uint('-1')`, /is not from 0/],
    [`double('')`, 'an empty text is no number'],
    [`double('1,5')`, '"1,5" is no number'],
    [`double('0b1')`, '"0b1" is no number'],
    [`double('1e999')`, '1e999 is more than a double holds'],
    [`timestamp('2026-02-30T00:00:00Z')`, /is no point in time/],
    [`timestamp('2026-06-30T23:59:60Z')`, /is no point in time/],
    [`timestamp('2026-11-22')`, /is no point in time/],
    [`format('2026-02-30', 'yyyy')`, /takes a time or a day \(ISO 8601\), and "2026-02-30" is none/],
    [`format('', 'yyyy')`, /and "" is none/],
    [`int(null)`, 'int() was given nothing'],
    [`double(null)`, 'double() was given nothing'],
    [`string(null)`, 'string() was given nothing'],
    [`bool('yes')`, '"yes" is neither true nor false'],
  ])('%s: %s', (source, said) =>
    typeof said === 'string' ? expect(fault(source)).toBe(said) : expect(fault(source)).toMatch(said),
  )

  it.each([
    [`int('-42')`, -42n],
    [`int('+5')`, 5n],
    [`int('007')`, 7n],
    [`uint('18446744073709551615') > uint('1')`, true],
    [`double('-1.5e3')`, -1500],
    [`double('NaN') == double('NaN')`, false],
    [`double('-Infinity') < 0.0`, true],
    [`timestamp('2024-02-29T23:59:59.5+02:00')`, '2024-02-29T21:59:59.5Z'],
    [`string(int('9223372036854775807'))`, '9223372036854775807'],
  ])('%s is %s', (source, expected) => expect(value(source)).toBe(expected))

  it('gives any whole number, number and point in time back', () => {
    fc.assert(
      fc.property(fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }), (number) => {
        expect(value('int(row.text)', { text: String(number) })).toBe(number)
      }),
    )
    fc.assert(
      fc.property(fc.double({ noNaN: true }), (number) => {
        expect(value('double(row.text)', { text: String(number) })).toBe(number === 0 ? Number(String(number)) : number) // prettier-ignore
      }),
    )
    fc.assert(
      fc.property(fc.date({ noInvalidDate: true, min: new Date(0), max: new Date('9999-12-31') }), (date) => {
        const text = date.toISOString()
        expect(value('timestamp(row.text)', { text })).toBe(Temporal.Instant.from(text).toString())
      }),
    )
  })
})

describe('what stands against an expression', () => {
  it.each([
    ['null + 1', '+ does not take nothing and a whole number'],
    [`1 in 2`, 'in does not take a whole number and a whole number'],
    [`'a'.startsWith(1)`, 'startsWith() of a text does not take a whole number'],
    [`-'a'`, '- does not take a text'],
    [`size(1)`, 'size() does not take a whole number'],
    ['row.gone', 'there is no gone'],
    ['[1][3]', 'the list has no place 3'],
    ['1 / 0', 'it would be divided by zero'],
    [`[1, 2] + 'a'`, '+ does not take a list and a text'],
  ])('%s: %s', (source, said) => expect(fault(source)).toBe(said))
})
