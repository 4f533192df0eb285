import { describe, expect, it } from 'vitest'
import type { FaultError } from '../fault'
import { parseTemplate } from './template'

const sources = (text: string) =>
  parseTemplate(text).map((piece) => (piece.kind === 'literal' ? piece.text : [piece.source]))

describe('texts with expressions', () => {
  it('cuts at braces and says where each expression stands', () => {
    expect(parseTemplate('a_{row.x}.csv')).toEqual([
      { kind: 'literal', text: 'a_', offset: 0 },
      { kind: 'expression', source: 'row.x', offset: 3 },
      { kind: 'literal', text: '.csv', offset: 9 },
    ])
  })
  it('reads doubled braces as one', () => {
    expect(sources('{{"a": {row.x}}}')).toEqual(['{"a": ', ['row.x'], '}'])
  })
  it('leaves braces inside strings and map literals to the expression', () => {
    expect(sources(`{"}" + row.x}`)).toEqual([[`"}" + row.x`]])
    expect(sources(`{ {'a': '}'}['a'] }`)).toEqual([[` {'a': '}'}['a'] `]])
    expect(sources(`{'it\\'s }'}x`)).toEqual([[`'it\\'s }'`], 'x'])
    expect(sources(`{r'\\'}x`)).toEqual([[`r'\\'`], 'x'])
    expect(sources(`{"""a "} b"""}`)).toEqual([[`"""a "} b"""`]])
  })
  it.each([
    ['a {row.x', 2],
    ['a } b', 2],
    ['a { } b', 2],
    ['{"never closed}', 0],
  ])('tells where %j goes wrong', (text, offset) => {
    try {
      parseTemplate(text)
      expect.unreachable()
    } catch (error) {
      expect((error as FaultError).fault).toMatchObject({ code: 'template', where: { offset } })
    }
  })
})
