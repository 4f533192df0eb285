import { describe, expect, it } from 'vitest'
import { z } from 'zod'
import { keysAt } from './keysAt'

const tree = z.object({
  name: z.string(),
  get children() {
    return z.array(tree).optional()
  },
})
const schema = z.toJSONSchema(
  z.object({
    title: z.string(),
    tree,
    either: z.union([z.object({ file: z.string(), store: z.string() }), z.object({ table: z.string() })]),
    both: z.intersection(z.object({ a: z.string() }), z.object({ b: z.string() })),
    named: z.record(z.string(), z.object({ value: z.number() })),
    pair: z.tuple([z.object({ first: z.string() }), z.object({ second: z.string() })]),
    'a/b~c': z.object({ inside: z.string() }),
  }),
  { io: 'input' },
)

describe('the keys that may stand at a place of a document', () => {
  it.each([
    [[], ['title', 'tree', 'either', 'both', 'named', 'pair', 'a/b~c']],
    [['title'], []],
    [['tree'], ['name', 'children']],
    [
      ['tree', 'children', 3, 'children', 0],
      ['name', 'children'],
    ],
    [['either'], ['file', 'store', 'table']],
    [['both'], ['a', 'b']],
    [['named', 'whatever'], ['value']],
    [['pair', 0], ['first']],
    [['pair', 1], ['second']],
    [['a/b~c'], ['inside']],
    [['no', 'such', 'place'], []],
    [['constructor'], []],
    [['tree', '__proto__'], []],
  ])('at %j are %j', (path, keys) => expect(keysAt(schema, path)).toEqual(keys))

  it('come by references into the schema, escaped ones among them (RFC 6901, 4)', () => {
    const referring = {
      properties: { one: { $ref: '#/$defs/a~1b~0c' }, self: { $ref: '#' }, lost: { $ref: '#/$defs/none' } },
      $defs: { 'a/b~c': { allOf: [{ properties: { deep: true } }] } },
    }
    expect(keysAt(referring, ['self', 'self', 'one'])).toEqual(['deep'])
    expect(keysAt(referring, ['lost'])).toEqual([])
  })
})
