import { escapeRegExp } from '../text/escapeRegExp'
import { fail } from '../fault'

/**
 * Splits the pattern of a path in a store at its slashes. Paths are relative, with forward slashes; `.` and empty
 * segments fall away.
 * @throws FaultError `outside-store` for what would leave the store, or cannot be a path
 */
export function storeSegments(pattern: string): string[] {
  if (pattern.includes('\0')) fail('outside-store', 'a path cannot hold a zero byte')
  if (pattern.startsWith('/') || /^[A-Za-z]:/.test(pattern))
    fail('outside-store', `"${pattern}" is an absolute path; a store's paths are relative`)
  const segments = pattern.split('/')
  if (segments.some((segment) => segment === '..'))
    fail('outside-store', `"${pattern}" leaves the store; no part of a path may be ..`)
  return segments.filter((segment) => segment !== '' && segment !== '.')
}

/** Has it a * or ? that is not escaped by a backslash? */
export function hasWildcard(pattern: string): boolean {
  return /(^|[^\\])(\\\\)*[*?]/.test(pattern)
}

/** A segment whose wildcards are escaped, as the name it stands for. */
export const unescapeSegment = (segment: string): string => segment.replace(/\\([*?\\])/g, '$1')

/** A value as a pattern that matches it alone. */
export const escapeWildcards = (text: string): string => text.replace(/[*?\\]/g, '\\$&')

/**
 * Does a name fit a pattern of one name? In time that grows with the product of their lengths at most, however many
 * wildcards there are: each `*` takes as little as it can, and only the last of them ever takes more.
 */
export function wildcardMatcher(pattern: string): (name: string) => boolean {
  /** A letter, `any` for one of any kind, `many` for as many as there are. */
  const tokens: (string | typeof any | typeof many)[] = []
  const letters = [...pattern]
  for (let i = 0; i < letters.length; i++) {
    const letter = letters[i]!
    if (letter === '\\' && /[*?\\]/.test(letters[i + 1] ?? '')) tokens.push(letters[++i]!)
    else tokens.push(letter === '*' ? many : letter === '?' ? any : letter)
  }
  return (name) => {
    const text = [...name]
    let [at, token] = [0, 0]
    let [star, held] = [-1, 0]
    while (at < text.length) {
      const wanted = tokens[token]
      if (wanted === many) [star, held] = [token++, at]
      else if (wanted !== undefined && (wanted === any || wanted === text[at])) {
        token++
        at++
      } else if (star >= 0) [token, at] = [star + 1, ++held]
      else return false
    }
    while (tokens[token] === many) token++
    return token === tokens.length
  }
}

/** Does a name fit a segment of a pattern? A wildcard finds no name that begins with a dot. */
export function segmentMatcher(segment: string): (name: string) => boolean {
  if (!hasWildcard(segment)) {
    const exact = unescapeSegment(segment)
    return (name) => name === exact
  }
  const fits = wildcardMatcher(segment)
  return (name) => !name.startsWith('.') && fits(name)
}

/** What everything that fits a pattern begins with: all before its first wildcard. */
export const literalStart = (pattern: string): string =>
  unescapeSegment(/^(?:\\[*?\\]|[^*?\\])*/.exec(pattern)![0])

const any = Symbol('?')
const many = Symbol('*')

/** A pattern of one name as a regular expression: `*` any letters, `?` one, a backslash before either takes its meaning. */
export function wildcardSource(pattern: string): string {
  let source = ''
  for (let i = 0; i < pattern.length; i++) {
    const char = pattern[i]!
    if (char === '\\' && /[*?\\]/.test(pattern[i + 1] ?? '')) source += `\\${pattern[++i]}`
    // many of them are one
    else if (char === '*') source += source.endsWith('[^/]*') ? '' : '[^/]*'
    else if (char === '?') source += '[^/]'
    else source += escapeRegExp(char)
  }
  return source
}
