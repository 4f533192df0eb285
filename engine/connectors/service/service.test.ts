import { describe, expect, it } from 'vitest'
import { nextLink, retryAfter } from './service'

describe('the Link header (RFC 8288)', () => {
  it.each([
    ['<https://a/x?page=2>; rel="next"', 'https://a/x?page=2'],
    ['</x>; rel=next', '/x'],
    ['<a>; rel="prev", <b>; rel="next"', 'b'],
    ['<a>; title="x, y; rel=next", <b>; rel="last next"', 'b'],
    ['<a>; rel="nextish"', undefined],
    ['<a>; REL="NEXT"', 'a'],
    ['', undefined],
    [null, undefined],
  ])('%j', (header, target) => expect(nextLink(header)).toBe(target))
})

describe('Retry-After (RFC 9110, 10.2.3)', () => {
  const now = Date.parse('2026-11-23T10:00:00Z')
  it.each([
    ['120', 120_000],
    ['Mon, 23 Nov 2026 10:01:00 GMT', 60_000],
    ['Mon, 23 Nov 2026 09:00:00 GMT', 0],
    ['soon', undefined],
    [null, undefined],
  ])('%j', (header, wait) => expect(retryAfter(header, now)).toBe(wait))
})
