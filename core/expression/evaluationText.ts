const types: Readonly<Record<string, string>> = {
  null_type: 'nothing',
  string: 'a text',
  int: 'a whole number',
  uint: 'a whole number (uint)',
  double: 'a number',
  bool: 'true or false',
  bytes: 'bytes',
  list: 'a list',
  map: 'a map',
  'google.protobuf.Timestamp': 'a time',
  'google.protobuf.Duration': 'a duration',
}

/** Other words of the library, and ours. */
const words: readonly (readonly [RegExp, string])[] = [
  [/^field not found: (.*)$/, 'there is no $1'],
  [/^index (-?\d+) out of bounds .*$/, 'the list has no place $1'],
  [/^int divide by zero$/, 'it would be divided by zero'],
  [/^Unable to convert string '(.*)' to bool$/s, '"$1" is neither true nor false'],
]

/** What stands against working an expression out, in our words where they are the library's. */
export function evaluationText(message: string): string {
  const [, name, of, given] =
    /^found no matching overload for '(.+?)' applied to '(?:([^(]+)\.)?\((.*)\)'$/.exec(message) ?? []
  if (name === undefined) {
    const known = words.find(([pattern]) => pattern.test(message))
    return known ? message.replace(known[0], known[1]) : message
  }
  const worded = (type: string) => types[type.replace(/\(.*\)/, '').trim()] ?? type
  // an operator stands between underscores or behind an @
  const called = name.replace(/^@/, '').replace(/^_?([^_\w]+)_?$/, '$1')
  const parts = given!
    .split(/,(?![^(]*\))/)
    .filter(Boolean)
    .map(worded)
    .join(' and ')
  return `${/\w/.test(called) && called !== 'in' ? `${called}()` : called}${of ? ` of ${worded(of)}` : ''} does not take ${parts || 'nothing'}`
}
