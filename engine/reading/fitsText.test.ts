import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { castTo } from '../../core/cast/cast'
import { fitsText } from '../../core/cast/fitsText'
import { literal, withDuck } from '../duck/duck'

/**
 * What a plan says of a value must be what a load does with it: both are asked of the same texts. What only the load can
 * tell (the digits that a binary number keeps, exponents in a numeric, times that a clock never shows) the plan lets by.
 */
const exactTypes = [
  'smallint',
  'integer',
  'bigint',
  'numeric',
  'boolean',
  'date',
  'timestamp without time zone',
  'timestamp(0) without time zone',
  'timestamp(3) without time zone',
  'time(2) without time zone',
  'time without time zone',
  'uuid',
  'character varying(5)',
]
const looseTypes = [
  'numeric(6,2)',
  'numeric(3,0)',
  'double precision',
  'real',
  'timestamp with time zone',
  'timestamp(3) with time zone',
]

const digits = fc.stringMatching(/^[0-9]{1,20}$/)
const sign = fc.constantFrom('', '', '', '-', '+')
const day = fc.tuple(fc.constantFrom('2024', '1900', '0001', '12024', '26'), fc.constantFrom('-', '/'), fc.constantFrom('01', '2', '02', '12', '13', '0'), fc.constantFrom('1', '28', '29', '30', '31', '32', '0')).map(([y, s, m, d]) => [y, m, d].join(s)) // prettier-ignore
const clock = fc.constantFrom('', ' 00:00', 'T00:00:00.000', ' 10:11', 'T10:11:12.123456', ' 10:11:12.1234567', ' 10:11:12.6', ' 10:11:12.600', ' 10:11:12.000', ' 10:11:12,5000000000', ' 24:00', ' 9:07') // prettier-ignore
const value = fc.oneof(
  fc.tuple(sign, digits).map((parts) => parts.join('')),
  fc.tuple(sign, digits, fc.constantFrom('.', ',', '.0', '.00', '.50', '.5e3', 'e2', 'E-3', 'e')).map((parts) => parts.join('')), // prettier-ignore
  fc.tuple(sign, fc.constantFrom('.5', '.', '1.25', '1,234.5', '0x1f', '1_000', '32767', '32768', '2147483648', '9223372036854775807', '9223372036854775808', '999.995', '9999.99', '10000')).map((parts) => parts.join('')), // prettier-ignore
  fc.tuple(day, clock, fc.constantFrom('', '', ' BC', '(BC)', 'Z', '+02', ' +15:59', '+16:00', ' UTC', '-0530')).map((parts) => parts.join('')), // prettier-ignore
  fc.constantFrom('true', 'TRUE', 'Yes', 'oN', '1', 'x', 'NaN', 'nan', 'Infinity', '-inf', 'infinit', '10:11', '10:60', '10:11:12.12', '10:11:12.125', '10:11:12.1200', '23:59:60', '5', '550e8400-e29b-41d4-a716-446655440000', '550E8400E29B41D4A716446655440000', '{550e8400-e29b-41d4-a716-446655440000}', '550e8400-e29b-41d4-a716-44665544000', 'Größe', 'Größen', 'émile!', '😀😀😀😀😀', '😀😀😀😀😀😀'), // prettier-ignore
)

describe('values looked at beforehand', () => {
  const asked = (type: string, texts: readonly string[]) =>
    withDuck('UTC', false, async (duck) => {
      const { fits } = castTo(type, { zone: 'UTC' })
      const rows = `(values ${texts.map((text, i) => `(${i}, ${literal(text)})`).join(', ')}) t(i, v)`
      const reader = await duck.runAndReadAll(
        `select ${fits!('v')} as fits from (select * from ${rows}) order by i`,
      )
      return reader.getRows().map(([fit]) => fit === true)
    })
  const sample = [...new Set(fc.sample(value, { numRuns: 4_000, seed: 7 }))]

  it.each(exactTypes)('%s: the plan and the load say the same', async (type) => {
    const loads = await asked(type, sample)
    const differ = sample.filter((text, i) => fitsText(text, type) !== loads[i])
    expect(differ.slice(0, 20)).toEqual([])
  })
  it.each(looseTypes)('%s: the plan never says no where the load says yes', async (type) => {
    const loads = await asked(type, sample)
    const differ = sample.filter((text, i) => !fitsText(text, type) && loads[i])
    expect(differ).toEqual([])
    // and what it lets by is what it cannot tell: digits, exponents, the clock of a zone before our era
    const letBy = sample.filter((text, i) => fitsText(text, type) && !loads[i])
    expect(letBy.filter((text) => !/^[+-]?[0-9.]{5,}|e|BC/i.test(text)).slice(0, 20)).toEqual([])
  })
})
