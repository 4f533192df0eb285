import { describe, expect, it } from 'vitest'
import { judgeEvidence, type Evidence } from '../catalog/evidence'
import { classOf } from '../catalog/valueClass'
import { plainText } from './readValue'

const judged = (values: readonly string[]) => {
  const counts: Evidence['counts'] = {}
  for (const value of values) counts[classOf(value)] = (counts[classOf(value)] ?? 0) + 1
  return judgeEvidence({ counts, firsts: {}, longest: 0 })
}
/** What comes of values that are judged together, and then read. */
const read = (values: readonly string[]) => {
  const { type, reading } = judged(values)
  return { type, values: values.map((value) => plainText(value, type, reading)) }
}

/** Signs and orders as Unicode's CLDR has them, by Intl. */
describe('values as languages write them', () => {
  it.each(['en', 'de', 'fr', 'de-CH', 'nb', 'sv', 'it', 'nl', 'pl', 'pt', 'da', 'fi', 'cs', 'uk'])(
    'numbers of %s are the same numbers',
    (language) => {
      const format = new Intl.NumberFormat(language, { useGrouping: 'always' })
      const numbers = [1234567.89, 98765.4, 1234.5, 12.25, 7, -1234.75]
      const written = numbers.map((number) => format.format(number).replace('\u2212', '-'))
      const found = read(written)
      expect([language, found.type]).toEqual([language, 'decimal'])
      expect(found.values.map(Number)).toEqual(numbers)
    },
  )

  it.each([
    ['en-US', { year: 'numeric', month: 'numeric', day: 'numeric' }],
    ['en-GB', { year: 'numeric', month: 'numeric', day: 'numeric' }],
    ['de', { year: 'numeric', month: 'numeric', day: 'numeric' }],
    ['fr', { year: 'numeric', month: '2-digit', day: '2-digit' }],
    ['it', { year: 'numeric', month: 'numeric', day: 'numeric' }],
    ['sv', { year: 'numeric', month: '2-digit', day: '2-digit' }],
    ['en-US', { year: 'numeric', month: 'long', day: 'numeric' }],
    ['en-GB', { year: 'numeric', month: 'short', day: 'numeric' }],
    ['de', { year: 'numeric', month: 'long', day: 'numeric' }],
    ['fr', { year: 'numeric', month: 'long', day: 'numeric' }],
    ['nb', { year: 'numeric', month: 'long', day: 'numeric' }],
  ] as const)('days of %s with %j are the same days', (language, options) => {
    const format = new Intl.DateTimeFormat(language, { ...options, timeZone: 'UTC' })
    const days = ['2026-02-28', '2024-12-31', '2026-05-03', '1999-10-13']
    const found = read(days.map((day) => format.format(new Date(`${day}T00:00:00Z`))))
    expect(found).toEqual({ type: 'date', values: days })
  })

  it.each(['en', 'de', 'nb', 'fr', 'sv'])('shares of %s lose their sign, and nothing else', (language) => {
    const format = new Intl.NumberFormat(language, { style: 'percent', maximumFractionDigits: 1 })
    const written = [0.125, 0.5, 0.999].map((share) => format.format(share))
    const { type, reading } = judged(written)
    expect(type).toBe('decimal')
    expect(written.map((text) => Number(plainText(text, type, { ...reading, marks: ['%'] })))).toEqual([
      12.5, 50, 99.9,
    ])
  })
})
