import { posix } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { celCompiler } from '../expression/cel'
import { assemble, compileSlot, workOut } from '../text/slot'
import { FaultError } from '../fault'
import type { Compiled } from '../expression/cel'
import {
  escapeWildcards,
  hasWildcard,
  storeSegments,
  unescapeSegment,
  wildcardMatcher,
  wildcardSource,
} from './pattern'

const compile = celCompiler('UTC')

/** A path of a step with some value in it, resolved. */
function pathOf(text: string, value: string): string {
  const slot = compileSlot({ step: 's', path: 'p', kind: 'path', text }, compile)
  const resolved = assemble(slot, (i) => workOut(slot.pieces[i] as Compiled, { row: { x: value } }))
  return resolved.kind === 'path' ? resolved.pattern : ''
}

describe('paths in a store', () => {
  it('every resolved path lies in its store, whatever a value holds', () => {
    const nasty = fc.oneof(
      fc.string(),
      fc.constantFrom(
        '..',
        '../..',
        '/etc/passwd',
        'a/../../b',
        '.',
        './..',
        '..\\..',
        'C:/x',
        '\0',
        'a/./../..',
      ),
      fc
        .array(fc.constantFrom('.', '..', 'a', '', '/', '\\'), { maxLength: 6 })
        .map((parts) => parts.join('/')),
    )
    const text = fc.constantFrom(
      '{row.x}',
      'in/{row.x}',
      '{row.x}/f.csv',
      'a/{row.x}.csv',
      'in/{row.x}/../{row.x}',
    )
    fc.assert(
      fc.property(text, nasty, (template, value) => {
        let pattern: string
        try {
          pattern = pathOf(template, value)
        } catch (error) {
          // refused is safe
          expect(error).toBeInstanceOf(FaultError)
          return
        }
        // node's own arithmetic of paths is the judge
        const whole = posix.normalize(
          posix.join('/store', storeSegments(pattern).map(unescapeSegment).join('/')),
        )
        expect(whole === '/store' || whole === '/store/' || whole.startsWith('/store/')).toBe(true)
      }),
      { numRuns: 600 },
    )
  })
  it('a value matches itself alone, whatever wildcards it holds', () => {
    fc.assert(
      fc.property(
        fc.string().filter((text) => !text.includes('/')),
        fc.string(),
        (value, other) => {
          const test = new RegExp(`^${wildcardSource(escapeWildcards(value))}$`, 's')
          expect(test.test(value)).toBe(true)
          expect(test.test(other)).toBe(other === value)
          expect(hasWildcard(escapeWildcards(value))).toBe(false)
          expect(unescapeSegment(escapeWildcards(value))).toBe(value)
        },
      ),
    )
  })
  it.each([
    ['a*c', 'abc', true], ['a*c', 'a/c', false], ['a?c', 'abc', true], ['a?c', 'ac', false], ['a\\*c', 'a*c', true], ['a\\*c', 'abc', false],
  ])('%s against %s: %s', (pattern, name, fits) =>
    expect(new RegExp(`^${wildcardSource(pattern)}$`).test(name)).toBe(fits)) // prettier-ignore
})

describe('names that fit a pattern', () => {
  it('are those that the regular expression of it takes (ECMAScript’s as the other reader)', () => {
    const piece = fc.constantFrom('a', 'b', '*', '?', '**', '\\*', '\\?', '\\\\', '.', '_')
    const pattern = fc.array(piece, { maxLength: 9 }).map((pieces) => pieces.join(''))
    const name = fc.array(fc.constantFrom('a', 'b', '*', '?', '\\', '.', '_'), { maxLength: 12 }).map((letters) => letters.join('')) // prettier-ignore
    fc.assert(
      fc.property(pattern, name, (own, text) => {
        expect(wildcardMatcher(own)(text)).toBe(new RegExp(`^${wildcardSource(own)}$`, 's').test(text))
      }),
      { numRuns: 2000 },
    )
  })

  it('are told soon, however many wildcards there are', () => {
    // a reader that tries every way would not come back
    const fits = wildcardMatcher(`${'a*'.repeat(40)}b`)
    expect(fits('a'.repeat(250))).toBe(false)
    expect(fits(`${'a'.repeat(250)}b`)).toBe(true)
  })

  it('have letters, not halves of them', () => {
    expect(wildcardMatcher('?.csv')('𝔊.csv')).toBe(true)
    expect(wildcardMatcher('??.csv')('𝔊.csv')).toBe(false)
  })
})
