import { describe, expect, it } from 'vitest'
import { addEvidence, judgeEvidence, noEvidence, type Evidence } from './evidence'
import { findDialect } from '../files/dialect'
import { findTable } from '../files/header'
import { classOf } from './valueClass'

describe('what a value looks like', () => {
  it.each([
    ['', 'blank'], ['  ', 'blank'], ['0', 'integer'], ['-17', 'integer'], ['007', 'text'], ['+5', 'integer'],
    ['1234567890123456789', 'text'], ['1.5', 'decimal'], ['.5', 'decimal'], ['1e5', 'decimal'], ['00.5', 'text'],
    ['12,4', 'decimal-comma'], ['1,234.5', 'grouped-comma-decimal'], ['<0.05', 'text'], ['3.1 mg/L', 'text'], ['NaN', 'null-word'],
    ['true', 'boolean'], ['FALSE', 'boolean'], ['yes', 'yes-word'], ['Nein', 'no-word'],
    ['2026-02-28', 'date'], ['2026-02-30', 'text'], ['28.02.2026', 'date-dots'], ['02/03/2026', 'date-slash-either'],
    ['2026-02-28T05:30', 'timestamp'], ['2026-02-28 05:30:00.123', 'timestamp'], ['2026-02-28T05:30:00Z', 'timestamp-zone'],
    ['2026-02-28T05:30:00+01:00', 'timestamp-zone'], ['05:30', 'time'], ['25:30', 'text'],
  ] as const)('%j is %s', (text, name) => expect(classOf(text)).toBe(name)) // prettier-ignore
})

const evidenceOf = (values: readonly string[], file = 'a.csv'): Evidence =>
  values.reduce<Evidence>((sum, value, i) => {
    const name = classOf(value)
    return addEvidence(sum, {
      counts: { [name]: 1 },
      firsts: { [name]: { value, file, row: i + 1 } },
      longest: value.length,
    })
  }, noEvidence)
const judged = (...values: string[]) => judgeEvidence(evidenceOf(values))

describe('the type of a column', () => {
  it.each([
    [['1', '2', ''], 'integer', undefined], [['1', '2.5'], 'decimal', undefined], [['1', '2,5'], 'decimal', { decimal: ',' }],
    [['1.5', '2,5'], 'text', undefined], [['2026-01-01', '2026-01-02T05:00Z'], 'timestamp', undefined],
    [['01.02.2026'], 'date', { dates: ['d.M.yyyy'] }], [['', ' '], 'text', undefined], [['true', '0'], 'text', undefined],
  ] as const)('%j', (values, type, reading) => {
    const verdict = judgeEvidence(evidenceOf(values))
    expect([verdict.type, verdict.reading]).toEqual([type, reading])
  }) // prettier-ignore
  it('names the value that forced it, and what would fail the stricter type', () => {
    const verdict = judged('0.1', '0.2', '<0.05', '0.4', '')
    expect(verdict).toMatchObject({
      type: 'text', looked: 4, blank: 1, stricter: { type: 'decimal', fails: 1 },
      decided: { count: 1, first: { value: '<0.05', file: 'a.csv', row: 3 } },
    }) // prettier-ignore
    expect(judged('1', '2', '3', '4.5')).toMatchObject({
      type: 'decimal',
      stricter: { type: 'integer', fails: 1 },
    })
  })
  it('names no stricter type that most values would fail', () => {
    expect(judged('a', 'b', '3')).toMatchObject({ type: 'text', stricter: null, decided: null })
  })
  it('does not depend on how the files are parted', () => {
    const whole = evidenceOf(['1', 'x', '', '2.5', '7'])
    const parted = addEvidence(evidenceOf(['1', 'x']), evidenceOf(['', '2.5', '7']))
    expect(parted.counts).toEqual(whole.counts)
    expect(judgeEvidence(parted).type).toBe(judgeEvidence(whole).type)
  })
})

describe('dialects', () => {
  it.each([
    ['commas', 'a,b\n1,2\n3,4\n', { delimiter: ',', header: true }],
    ['semicolons and a decimal comma', 'a;b\n1,5;x\n2,5;y\n', { delimiter: ';', header: true, decimal: ',' }],
    ['tabs', 'a\tb\n1\t2\n', { delimiter: '\t', header: true }],
    ['bars', 'a|b\n1|2\n', { delimiter: '|', header: true }],
    ['no header', '1,2026-01-01,x\n2,2026-01-02,y\n', { delimiter: ',', header: false }],
    ['comments above', '# made by a logger\n# v2\na,b\n1,2\n', { header: true, comment: '#' }],
    ['a title above', 'Monthly list\n\na,b,c\n1,2,3\n4,5,6\n', { header: true, skip: 2 }],
    ['single quotes', "'a';'b'\n'1;2';'x'\n", { delimiter: ';', quote: "'" }],
    ['one column', 'name\nx\ny\n', { delimiter: ',', header: true }],
    ['a delimiter inside quotes', 'a,b\n"1;2;3",4\n"5;6;7",8\n', { delimiter: ',' }],
  ] as const)('%s', (_what, text, format) => expect(findDialect(text)?.format).toMatchObject(format))
  it('names columns that nobody named', () =>
    expect(findDialect('1,2\n3,4\n')?.names).toEqual(['column_1', 'column_2']))
  it('has none for an empty text', () => expect(findDialect('\n\n')).toBeUndefined())
  it('takes no first row of text for a header whose values come again', () => {
    expect(findTable([['north', 'open'], ['south', 'open'], ['north', 'shut']])?.header).toBe(false) // prettier-ignore
    expect(findTable([['side', 'state'], ['south', 'open'], ['north', 'shut']])?.header).toBe(true) // prettier-ignore
  })
  it('finds a header below titles, where last cells may be blank', () => {
    const sheet = [['Laboratory'], ['week 47'], ['sample', 'value', 'unit'], ['1', '2', ''], ['3', '4', 'mg']]
    expect(findTable(sheet)).toMatchObject({
      skip: 2,
      header: true,
      names: ['sample', 'value', 'unit'],
      width: 3,
    })
  })
})
