import { escapeRegExp } from '../text/escapeRegExp'
import type { ValueType } from '../value'
import { readByPattern } from './datePattern'
import type { ValueReading } from './valueReading'

/** A number as it is written plainly: its marks and signs of thousands left out, its decimals behind a point. */
function plainNumber(text: string, { decimal, thousands, marks = [] }: ValueReading): string | undefined {
  let plain = text
  if (marks.length > 0) {
    const signs = marks.map(escapeRegExp).join('|')
    plain = plain.replace(new RegExp(`^([+-]?)(?:${signs})\\s?|\\s?(?:${signs})$`, 'gu'), '$1').trim()
    const brackets = /^\((.*)\)$/.exec(plain)
    if (brackets) return plainNumber(`-${brackets[1]!.trim()}`, { decimal, thousands, marks })
    if (/^[0-9].*-$/.test(plain)) plain = `-${plain.slice(0, -1)}`
  }
  if (thousands) {
    const sign =
      thousands === ' ' ? '[ \\u00A0\\u202F\\u2009]' : thousands === "'" ? "['’]" : escapeRegExp(thousands)
    const grouped = new RegExp(`^[+-]?[1-9][0-9]{0,2}(${sign}[0-9]{3})+(?![0-9])`, 'u').exec(plain)?.[0]
    if (grouped) plain = grouped.replace(new RegExp(sign, 'gu'), '') + plain.slice(grouped.length)
  }
  if (decimal !== ',') return plain
  // with a decimal comma a point is no sign of a number
  return plain.includes('.') ? undefined : plain.replace(',', '.')
}

/**
 * A text as it would be written plainly (ISO 8601, a decimal point, true and false), by the reading of its column; the
 * text itself where the reading does not change it. Null for nothing, undefined for what the reading forbids.
 */
export function plainText(
  text: string | null,
  type: ValueType,
  reading: ValueReading = {},
): string | null | undefined {
  const plain = text?.trim() ?? ''
  if (plain === '' || reading.nulls?.includes(plain)) return null
  switch (type) {
    case 'integer':
    case 'decimal':
    case 'number':
      return plainNumber(plain, reading)
    case 'boolean':
      if (reading.yes?.some((word) => word.toLowerCase() === plain.toLowerCase())) return 'true'
      if (reading.no?.some((word) => word.toLowerCase() === plain.toLowerCase())) return 'false'
      return plain
    case 'date':
    case 'time':
    case 'timestamp': {
      for (const pattern of reading.dates ?? []) {
        const read = readByPattern(plain, pattern)
        if (read !== undefined) return read
      }
      return plain
    }
    case 'text':
      return text
  }
}
