import { describe, expect, it } from 'vitest'
import { textTable } from './textTable'

describe('rows of text as a table', () => {
  it('types each column by all of its values, and reads them', () => {
    const { columns, rows, key } = textTable(
      ['code', 'count', 'share', 'day', 'on', 'note'],
      [
        ['007', '3', '1,5', '2.11.2026', 'true', 'x'],
        ['010', '', '2,25', '12.11.2026', 'false', null],
      ],
    )
    expect(columns.map(({ type }) => type)).toEqual(['text', 'integer', 'decimal', 'date', 'boolean', 'text'])
    expect(rows).toEqual([
      { code: '007', count: 3, share: 1.5, day: '2026-11-02', on: true, note: 'x' },
      { code: '010', count: null, share: 2.25, day: '2026-11-12', on: false, note: null },
    ])
    expect(key).toEqual(['code'])
  })
  it('keeps text where one value fits no other type', () => {
    expect(textTable(['n'], [['1'], ['two']]).rows).toEqual([{ n: '1' }, { n: 'two' }])
    expect(textTable(['a'], []).columns).toEqual([{ name: 'a', type: 'text' }])
  })
})
