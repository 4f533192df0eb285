/** Where in an SQL text a place lies, by the lexical rules of Postgres (4.1, "Lexical Structure"). */
export type SqlPlace = 'code' | 'text' | 'name' | 'dollar' | 'comment'

/**
 * Reads an SQL text piece by piece, as it stands between expressions, and knows after each piece where it is. `words`
 * are those that a statement begins with.
 */
export class SqlReader {
  place: SqlPlace = 'code'
  /** First words of the statements so far, in lower case, with their offsets in the whole text. */
  readonly begins: { readonly word: string; readonly at: number }[] = []
  /** The tag that ends the text between dollars, such as `$$` or `$body$`. */
  tag = ''
  private escapes = false
  private depth = 0
  private atStart = true

  /** An expression stands in the code: a statement that begins with it has no word. */
  expression(): void {
    if (this.place === 'code') this.atStart = false
  }

  /** Takes a piece; `offset` is that of its first letter in the whole text. */
  take(text: string, offset: number): void {
    let at = 0
    while (at < text.length) at = this.step(text, at, offset)
  }

  private step(text: string, at: number, offset: number): number {
    const char = text[at]!
    switch (this.place) {
      case 'text':
        if (this.escapes && char === '\\') return at + 2
        if (char !== "'") return at + 1
        if (text[at + 1] === "'") return at + 2
        this.place = 'code'
        return at + 1
      case 'name':
        if (char !== '"') return at + 1
        if (text[at + 1] === '"') return at + 2
        this.place = 'code'
        return at + 1
      case 'dollar':
        if (!text.startsWith(this.tag, at)) return at + 1
        this.place = 'code'
        return at + this.tag.length
      case 'comment':
        return this.inComment(text, at)
      case 'code':
        return this.inCode(text, at, offset)
    }
  }

  private inComment(text: string, at: number): number {
    if (this.depth === 0) {
      if (text[at] === '\n') this.place = 'code'
      return at + 1
    }
    if (text.startsWith('/*', at)) this.depth++
    else if (text.startsWith('*/', at)) this.depth--
    else return at + 1
    if (this.depth === 0) this.place = 'code'
    return at + 2
  }

  private inCode(text: string, at: number, offset: number): number {
    const char = text[at]!
    if (text.startsWith('--', at) || text.startsWith('/*', at)) {
      this.depth = char === '/' ? 1 : 0
      this.place = 'comment'
      return at + 2
    }
    if (/\s/.test(char)) return at + 1
    if (char === ';') {
      this.atStart = true
      return at + 1
    }
    const word = /^[\p{L}_][\p{L}\p{N}_$]*/u.exec(text.slice(at, at + 70))?.[0]
    if (word !== undefined && this.atStart) this.begins.push({ word: word.toLowerCase(), at: offset + at })
    this.atStart = false
    if (word !== undefined) {
      // E'…' knows escapes by a backslash
      if (/^e$/i.test(word) && text[at + 1] === "'") {
        this.escapes = true
        this.place = 'text'
        return at + 2
      }
      return at + word.length
    }
    if (char === "'") {
      this.escapes = false
      this.place = 'text'
    } else if (char === '"') this.place = 'name'
    else if (char === '$') {
      const tag = /^\$([\p{L}_][\p{L}\p{N}_]*)?\$/u.exec(text.slice(at, at + 70))?.[0]
      if (tag !== undefined) {
        this.tag = tag
        this.place = 'dollar'
        return at + tag.length
      }
    }
    return at + 1
  }
}

/** The tag of the text between dollars that each piece stands in, '' for those in none: such a text takes no name with its tag. */
export function dollarTags(pieces: readonly (string | object)[]): string[] {
  const reader = new SqlReader()
  return pieces.map((piece) => {
    if (typeof piece === 'string') reader.take(piece, 0)
    return reader.place === 'dollar' ? reader.tag : ''
  })
}

/** Words that begin or end a transaction; a step is one, whole or not at all. */
const ofTransactions = ['begin', 'commit', 'rollback', 'abort', 'savepoint', 'release', 'start']

/** What is wrong with an SQL text, and where in it; undefined where nothing is. */
export function sqlFault(
  pieces: readonly (string | { readonly use: string; readonly source: string })[],
  offsets: readonly number[],
): { readonly message: string; readonly offset: number; readonly length: number } | undefined {
  const reader = new SqlReader()
  let before = ''
  for (const [i, piece] of pieces.entries()) {
    if (typeof piece === 'string') {
      reader.take(piece, offsets[i]!)
      before = piece
      continue
    }
    const after = typeof pieces[i + 1] === 'string' ? (pieces[i + 1] as string) : ''
    const touches = i > 0 && typeof pieces[i - 1] !== 'string'
    const message = misplaced(reader.place, piece, before, after, touches)
    if (message !== undefined) return { message, offset: offsets[i]!, length: piece.source.length }
    reader.expression()
  }
  const own = reader.begins.find(({ word }) => ofTransactions.includes(word) && !isFunctionBody(pieces, word))
  return (
    own && {
      message: `${own.word} begins or ends a transaction; a step is one by itself, which is kept whole or not at all. Leave it out; what must stay by itself is a step of its own`,
      offset: own.at,
      length: own.word.length,
    }
  )
}

/** `begin atomic` opens the body of a function in standard SQL, and no transaction. */
const isFunctionBody = (pieces: readonly unknown[], word: string): boolean =>
  word === 'begin' && pieces.some((piece) => typeof piece === 'string' && /\bbegin\s+atomic\b/i.test(piece))

function misplaced(
  place: SqlPlace,
  { use, source }: { readonly use: string; readonly source: string },
  before: string,
  after: string,
  touches: boolean,
): string | undefined {
  // spliced as it is: who writes it knows where it lands
  if (use === 'raw') return undefined
  const own = source.trim()
  if (place === 'text')
    return use === 'value'
      ? `{${own}} stands within quotes, where its value would not be put in. Write it without the quotes: a value is quoted by itself; a longer text is built in the expression, such as {'…' + ${own}}`
      : `${use}() stands within quotes; there it would be letters of a text. Take it out of them`
  if (place === 'name')
    return `{${own}} stands within double quotes. A name from a value is written {name(${use === 'name' ? '…' : own})}, without quotes`
  if (place === 'dollar')
    return use === 'value'
      ? `{${own}} stands in a text between dollars, such as the body of DO, which takes no values. Work with the value in a statement outside of it, or keep it in a temporary table first`
      : use === 'list'
        ? 'list() stands in a text between dollars, which takes no values'
        : undefined
  if (place === 'comment') return undefined
  if (use !== 'value' && use !== 'name') return undefined
  const left = touches ? 'x' : before.slice(-1)
  const right = after.slice(0, 1)
  const letter = /[\p{L}\p{N}_$]/u
  if (
    letter.test(left) ||
    letter.test(right) ||
    (use === 'value' && (left === '.' || /^\.\s*["\p{L}_]/u.test(after)))
  )
    return use === 'value'
      ? `a name is built of letters and {${own}}, which would be a value. Build the whole name: {name('…' + ${own})}, or {name(schema, table)} for both parts`
      : `name() touches other letters; build the whole name in it, such as {name('…' + row.x)}`
  return undefined
}
