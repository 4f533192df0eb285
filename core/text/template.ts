import { fail } from '../fault'

/** A stretch of literal text, or an expression between braces, each with its offset in the whole text. */
export type Piece =
  | { readonly kind: 'literal'; readonly text: string; readonly offset: number }
  | { readonly kind: 'expression'; readonly source: string; readonly offset: number }

/**
 * Cuts a text at its `{ … }` expressions. `{{` and `}}` stand for one brace.
 * Braces inside an expression's strings and map literals belong to the expression.
 * @throws FaultError `template` with the offset of an unclosed or unopened brace
 */
export function parseTemplate(text: string): Piece[] {
  const pieces: Piece[] = []
  let literal = ''
  let begun = 0
  let at = 0
  while (at < text.length) {
    const char = text[at]!
    if (char === '{' && text[at + 1] === '{') {
      literal += '{'
      at += 2
    } else if (char === '}' && text[at + 1] === '}') {
      literal += '}'
      at += 2
    } else if (char === '}') {
      fail('template', 'a "}" without its "{"; write "}}" for a brace in the text', { offset: at, length: 1 })
    } else if (char === '{') {
      if (literal) pieces.push({ kind: 'literal', text: literal, offset: begun })
      literal = ''
      const end = expressionEnd(text, at + 1)
      if (end < 0) {
        fail('template', 'a "{" that is never closed; write "{{" for a brace in the text', {
          offset: at,
          length: text.length - at,
        })
      }
      const source = text.slice(at + 1, end)
      if (source.trim() === '')
        fail('template', 'nothing between "{" and "}"', { offset: at, length: end - at + 1 })
      pieces.push({ kind: 'expression', source, offset: at + 1 })
      at = end + 1
      begun = at
    } else {
      literal += char
      at++
    }
  }
  if (literal) pieces.push({ kind: 'literal', text: literal, offset: begun })
  return pieces
}

/** Index of the brace that closes the expression starting at `from`, or -1. */
function expressionEnd(text: string, from: number): number {
  let depth = 0
  for (let at = from; at < text.length; at++) {
    const char = text[at]!
    if (char === '"' || char === "'") {
      const raw = /[rR]/.test(text[at - 1] ?? '') && !/[\w]/.test(text[at - 2] ?? '')
      at = stringEnd(text, at, raw)
      if (at < 0) return -1
    } else if (char === '{') depth++
    else if (char === '}') {
      if (depth === 0) return at
      depth--
    }
  }
  return -1
}

/** Index of the last quote of the CEL string that opens at `open`, or -1; knows triple quotes and raw strings. */
function stringEnd(text: string, open: number, raw: boolean): number {
  const quote = text[open]!
  const triple = text.startsWith(quote.repeat(3), open)
  const mark = triple ? quote.repeat(3) : quote
  for (let at = open + mark.length; at < text.length; at++) {
    if (text[at] === '\\' && !raw) at++
    else if (text.startsWith(mark, at)) return at + mark.length - 1
  }
  return -1
}
