import fc from 'fast-check'
import { parse } from 'libpg-query'
import { describe, expect, it } from 'vitest'
import { quoteName } from '../../core/text/slot'
import { splitStatements } from './sql'

const letters = fc.string({
  unit: fc.constantFrom('a', 'Ä', '水', '"', "'", '$', '1', ';', '-', '/', '*', '\\', ' ', '\n', '.', '%'),
  minLength: 1,
  maxLength: 12,
})
const literal = (text: string) => `'${text.replaceAll("'", "''")}'`

describe('quoting', () => {
  it('makes of any text one name, as the real parser of Postgres sees it', async () => {
    await fc.assert(
      fc.asyncProperty(letters, async (name) => {
        const tree = JSON.stringify(await parse(`select * from ${quoteName(name)}`))
        expect(tree).toContain(`"relname":${JSON.stringify(name)}`)
      }),
    )
  })
  it('refuses a zero byte, which no name can hold', () => {
    expect(() => quoteName('a\0b')).toThrow(/zero byte/)
  })
})

describe('statements of a step', () => {
  it('are cut only where Postgres ends them, and each has the values it uses', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(letters, { minLength: 1, maxLength: 4 }), async (texts) => {
        const statements = texts.map((text, i) => `select ${literal(text)}, $${i + 1}, ${literal('$9')}`)
        const cut = await splitStatements(statements.join(';\n'), texts)
        expect(cut).toEqual(
          texts.map((text) => ({ text: `select ${literal(text)}, $1, ${literal('$9')}`, values: [text] })),
        )
      }),
    )
  })
  it.each([
    ['select $2, $1, $2', 'select $1, $2, $1', ['b', 'a']],
    ['select $2 -- not $1', 'select $1 -- not $1', ['b']],
    ['select $2 /* not $1 */', 'select $1 /* not $1 */', ['b']],
    ['select $$ $1 $$, $2', 'select $$ $1 $$, $1', ['b']],
    ['select $x$ $1 $x$, "$1", $2', 'select $x$ $1 $x$, "$1", $1', ['b']],
  ])('have numbers of their own: %s', async (text, own, values) => {
    expect(await splitStatements(text, ['a', 'b'])).toEqual([{ text: own, values }])
  })
  it('hold nothing where there is only a comment', async () => {
    expect(await splitStatements('-- nothing\n;;', [])).toEqual([])
  })
  it('that cannot be read are a fault with what the parser said', async () => {
    await expect(splitStatements('selec 1', [])).rejects.toThrow(/the SQL cannot be read: syntax error/)
  })
})
