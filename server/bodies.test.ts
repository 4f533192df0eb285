import { describe, expect, it } from 'vitest'
import { depthOf } from './bodies'

describe('the depth of a body', () => {
  const depth = (text: string) => depthOf(Buffer.from(text))
  it.each([
    ['1', 0],
    ['{}', 1],
    ['{"a": [1, {"b": []}]}', 4],
    ['[[1], [2]]', 2],
    // brackets within texts are letters
    [String.raw`{"a": "[[[[\"[[[[", "b\\": [1]}`, 2],
    ['['.repeat(500), 500],
    ['"'.repeat(3) + '[', 0],
  ])('%s: %i', (text, deep) => expect(depth(text)).toBe(deep))
})
