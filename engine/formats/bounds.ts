import { readLimits, type Limits } from '../context/limits'

/** Of this process, as its environment sets them; formats know no engine. */
let own: Limits | undefined
export const ownLimits = (): Limits => (own ??= readLimits(process.env))

const number = (n: number): string => n.toLocaleString('en')

/** Why a table of so many columns is not read; undefined where it is. */
export function columnsRefusal(columns: number, { columns: most } = ownLimits()): string | undefined {
  return columns > most
    ? `it has ${number(columns)} columns, and at most ${number(most)} are read; is the delimiter what it should be? MATTOCK_COLUMNS sets the limit`
    : undefined
}

/** Why a line of so many bytes is not read; undefined where it is. */
export function lineRefusal(bytes: number, { line: most } = ownLimits()): string | undefined {
  return bytes > most
    ? `a line of more than ${number(Math.round(most / 2 ** 20))} MB; is there a quote that is never closed? MATTOCK_LINE_MB sets the limit`
    : undefined
}

/** Why JSON of such a depth is not read; undefined where it is. */
export function depthRefusal(depth: number, { depth: most } = ownLimits()): string | undefined {
  return depth > most
    ? `brackets stand more than ${number(most)} deep within brackets, which no reader takes; MATTOCK_JSON_DEPTH sets the limit`
    : undefined
}

/** Why packed bytes that become so many are not unpacked; undefined where they are. Small ones may become anything. */
export function unpackedRefusal(
  packed: number,
  unpacked: number,
  { unpacked: most } = ownLimits(),
): string | undefined {
  return unpacked > smallUnpacked && unpacked > packed * most
    ? `it unpacks to more than ${number(most)} times its size (${number(Math.round(unpacked / 2 ** 20))} MB and more), which no table does; MATTOCK_UNPACKED_TIMES sets the limit`
    : undefined
}
const smallUnpacked = 64 * 2 ** 20

/** How deep brackets stand in a text of JSON; a line break outside of it ends nothing. */
export function deepest(text: string): number {
  let depth = 0
  let most = 0
  let quoted = false
  for (let i = 0; i < text.length; i++) {
    const letter = text.charCodeAt(i)
    if (quoted) {
      if (letter === 0x5c) i++
      else if (letter === 0x22) quoted = false
    } else if (letter === 0x22) quoted = true
    else if (letter === 0x5b || letter === 0x7b) most = Math.max(most, ++depth)
    else if (letter === 0x5d || letter === 0x7d) depth--
  }
  return most
}
