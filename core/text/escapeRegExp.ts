/**
 * A text as a regular expression that fits it alone, outside of brackets; right in RE2 and in ECMAScript, where with the
 * flag u nothing may be escaped that need not be.
 */
export const escapeRegExp = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|/]/g, '\\$&')
