import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { csvRecords, csvRecordsAt } from './csvRecords'
import { csvLine } from './csvText'

/** Letters that make CSV hard. */
const hard = fc.string({
  unit: fc.constantFrom('a', 'é', '水', '"', ',', ';', '\t', '\r', '\n', ' ', "'", '\\', '\uFEFF', '0'),
  maxLength: 8,
})
// a record of one empty field is a blank line, which is no record; so is a byte order mark at the start of the text
const record = fc
  .array(hard, { minLength: 1, maxLength: 5 })
  .filter((fields) => (fields.length > 1 || fields[0] !== '') && !fields[0]!.startsWith('\uFEFF'))
const records = fc.array(record, { maxLength: 6 })
const written = (all: string[][]) => all.map(csvLine).join('')

describe('CSV', () => {
  it('comes back as it was written, whatever the fields hold', () => {
    fc.assert(fc.property(records, (all) => void expect(csvRecords(written(all))).toEqual(all)))
  })

  it('reads a text with any delimiter and quote that was written by the rule alone', () => {
    fc.assert(
      fc.property(
        records,
        fc.constantFrom(',', ';', '\t', '|', '§'),
        fc.constantFrom('"', "'"),
        fc.constantFrom('\n', '\r\n', '\r'),
        (all, delimiter, quote, end) => {
          // RFC 4180 rules 5 to 7: every field may be quoted; a quote within is doubled
          const text = all
            .map((fields) =>
              fields.map((one) => quote + one.replaceAll(quote, quote + quote) + quote).join(delimiter),
            )
            .map((line) => line + end)
            .join('')
          expect(csvRecords(text, { delimiter, quote })).toEqual(all)
        },
      ),
    )
  })

  it('says where each record begins: read from there, it is the first', () => {
    fc.assert(
      fc.property(records, (all) => {
        const text = written(all)
        for (const [i, { at }] of csvRecordsAt(text).entries())
          expect(csvRecords(text.slice(at))).toEqual(all.slice(i))
      }),
    )
  })

  it('reads a beginning of a text as the records that are whole in it, and no others', () => {
    fc.assert(
      fc.property(records, fc.nat(), (all, cut) => {
        const text = written(all)
        const begun = text.slice(0, cut % (text.length + 1))
        const read = csvRecords(begun, { whole: false })
        expect(read).toEqual(all.slice(0, read.length))
      }),
    )
  })

  it('stops at the limit', () => {
    fc.assert(
      fc.property(
        records,
        fc.nat({ max: 8 }),
        (all, limit) => void expect(csvRecords(written(all), { limit })).toEqual(all.slice(0, limit)),
      ),
    )
  })

  // RFC 4180 section 2, the examples of rules 1 to 7
  it.each([
    ['aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n', [['aaa', 'bbb', 'ccc'], ['zzz', 'yyy', 'xxx']]],
    ['aaa,bbb,ccc\r\nzzz,yyy,xxx', [['aaa', 'bbb', 'ccc'], ['zzz', 'yyy', 'xxx']]],
    ['"aaa","b\r\nbb","ccc"\r\nzzz,yyy,xxx', [['aaa', 'b\r\nbb', 'ccc'], ['zzz', 'yyy', 'xxx']]],
    ['"aaa","b""bb","ccc"', [['aaa', 'b"bb', 'ccc']]],
  ])('reads %j', (text, all) => expect(csvRecords(text)).toEqual(all)) // prettier-ignore

  it('puts nothing before a text, whatever it begins with', () => {
    expect(csvLine(['=1+1', '+4', '-10 %', '@a', -3, null, 'a=b'])).toBe('=1+1,+4,-10 %,@a,-3,,a=b\r\n')
  })
})
