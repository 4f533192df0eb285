import { describe, expect, it } from 'vitest'
import { valuesOfLine } from './values'

const columns = ['meter', 'read_at', 'value']
const of = (raw: string, more: object = {}) =>
  valuesOfLine(raw, columns, { format: {}, names: columns, ...more })

describe('the values of a rejected line', () => {
  it('are its fields by their names, quotes taken off (RFC 4180 2.5 to 2.7)', () => {
    expect(of('M-1,"2026-11-01, 00:15","say ""no"""').values).toEqual([
      'M-1',
      '2026-11-01, 00:15',
      'say "no"',
    ])
  })
  it('tell a field of nothing from a text of no letters', () => {
    expect(of('M-1,,""').values).toEqual(['M-1', null, ''])
  })
  it('are nothing where the line has fewer, and stand beyond where it has more', () => {
    expect(of('M-1,2026')).toEqual({ values: ['M-1', '2026', null], beyond: [] })
    expect(of('M-1,2026,3,4 extra,5')).toEqual({ values: ['M-1', '2026', '3'], beyond: ['4 extra', '5'] })
  })
  it('go by the file’s own order, and by what its path says', () => {
    const mine = { names: ['value', 'meter'], fixed: { read_at: '2026-11-01' } }
    expect(of('7,M-2', mine).values).toEqual(['M-2', '2026-11-01', '7'])
  })
  it('are read by the layout: another letter between, fixed widths', () => {
    expect(of('M-1;a,b;3', { format: { delimiter: ';' } }).values).toEqual(['M-1', 'a,b', '3'])
    expect(of('M-1 2026 3', { format: { widths: [4, 5, 3] } }).values).toEqual(['M-1', '2026', '3'])
  })
  it('of a quote that is not closed are what could be read', () => {
    expect(of(`M-1,"open,3`).values).toEqual(['M-1', `"open`, '3'])
  })
})
