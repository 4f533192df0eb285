import { CelScalar, celFunc, celUint, objectType } from '@bufbuild/cel'
import { TimestampSchema } from '@bufbuild/protobuf/wkt'
import { Temporal } from 'temporal-polyfill'
import { timestamp } from './instants'

const { INT, UINT, DOUBLE, STRING, NULL, DYN } = CelScalar

/**
 * Conversions of texts as CEL's specification has them: an error where the text is no such value. The library's own take
 * what JavaScript takes: an empty text for 0, hexadecimals, the 30th of February.
 */
export const conversions = [
  celFunc('int', [STRING], INT, (text) => whole(text, -(2n ** 63n), 2n ** 63n - 1n)),
  celFunc('uint', [STRING], UINT, (text) => celUint(whole(text, 0n, 2n ** 64n - 1n))),
  celFunc('double', [STRING], DOUBLE, binary),
  celFunc('timestamp', [STRING], objectType(TimestampSchema), (text) => timestamp(pointInTime(text))),
  ...['int', 'uint', 'double', 'bool', 'string', 'timestamp', 'duration'].map((name) =>
    celFunc(name, [NULL], DYN, (): null => {
      throw new Error(`${name}() was given nothing`)
    }),
  ),
]

const said = (text: string): string => (text.trim() === '' ? 'an empty text' : `"${text}"`)

function whole(text: string, least: bigint, most: bigint): bigint {
  if (!/^[+-]?[0-9]+$/.test(text)) throw new Error(`${said(text)} is no whole number`)
  // a long one takes long to read
  const value = text.length > 400 ? undefined : BigInt(text.replace(/^\+/, ''))
  if (value === undefined || value < least || value > most)
    throw new Error(`${text.slice(0, 40)} is not from ${least} to ${most}`)
  return value
}

function binary(text: string): number {
  if (/^[+-]?(inf|infinity)$/i.test(text)) return text.startsWith('-') ? -Infinity : Infinity
  if (/^nan$/i.test(text)) return NaN
  if (!/^[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]+)?$/.test(text))
    throw new Error(`${said(text)} is no number`)
  const value = Number(text)
  if (!Number.isFinite(value)) throw new Error(`${text} is more than a double holds`)
  return value
}

/** RFC 3339, 5.6; without its leap seconds, which no clock here has. */
function pointInTime(text: string): Temporal.Instant {
  const form =
    /^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-5][0-9](\.[0-9]{1,9})?(Z|[+-][0-9]{2}:[0-9]{2})$/i
  try {
    if (form.test(text)) return Temporal.Instant.from(text)
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
  }
  throw new Error(`${said(text)} is no point in time (RFC 3339, such as 2026-11-22T06:00:00Z)`)
}
