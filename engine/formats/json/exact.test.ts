import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { withDuck } from '../../duck/duck'
import { documentTables, exactDocuments } from './documents'
import { ExactNumbers, mark, needsQuotes } from './exact'

const through = (text: string, byLine = false, size = Infinity): string => {
  const exact = new ExactNumbers(byLine)
  const bytes = Buffer.from(text)
  const pieces: Buffer[] = []
  for (let at = 0; at < bytes.length; at += size)
    pieces.push(exact.take(bytes.subarray(at, Math.min(bytes.length, at + size))))
  return Buffer.concat([...pieces, exact.end()]).toString()
}

describe('numbers that a double would change', () => {
  // IEEE 754-2019, table 3.2: 15 decimal digits are kept by binary64
  it.each([
    ['1', false],
    ['-0.5', false],
    ['123456789012345', false],
    ['1234567890123456', true],
    ['9007199254740993', true],
    ['0.30000000000000004', true],
    ['1.500000000000000000', false],
    ['0.000000000000000000001', false],
    ['1e400', true],
    ['1E-7', false],
    ['NaN', true],
    ['-Infinity', true],
    ['true', false],
    ['null', false],
  ])('%s', (token, needs) => expect(needsQuotes(token)).toBe(needs))

  it('go into quotes behind a mark, and nothing else of the text is touched', () => {
    expect(through('{"a": 9007199254740993, "9007199254740993": [1, -Infinity], "s": "12345678901234567 \\" 9007199254740993"}')).toBe(
      `{"a": "${mark}9007199254740993", "9007199254740993": [1, "${mark}-Infinity"], "s": "12345678901234567 \\" 9007199254740993"}`,
    ) // prettier-ignore
  })

  it('of any JSON come out as they were, wherever its chunks are parted', () => {
    const value = fc.jsonValue({ maxDepth: 3 })
    const long = fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n }).map(String)
    fc.assert(
      fc.property(fc.array(fc.tuple(value, long), { maxLength: 4 }), fc.integer({ min: 1, max: 40 }), (entries, size) => {
        const text = `[${entries.map(([one, number]) => `{"v": ${JSON.stringify(one)}, "n": ${number}}`).join(', ')}]`
        const out = through(text, false, size)
        expect(out).toBe(through(text))
        expect(out.replaceAll(new RegExp(`"${mark}([^"]*)"`, 'g'), '$1')).toBe(text)
        const read = JSON.parse(out) as { n: string | number }[]
        expect(read.map(({ n }) => String(n).replace(mark, ''))).toEqual(
          entries.map(([, number]) => String(BigInt(number))),
        )
      }),
    ) // prettier-ignore
  })

  it('a line that ends before its record does is broken for every reader, wherever its chunks are parted', () => {
    const text = '{"a":\n{"a":[1\r\n{"a":"x\n{"a":"x\\\n{"a":{"b":1}}\n{"a":"{["}\n{"a":1'
    const due = '{"a":!\n{"a":[1\r!\n{"a":"x!\n{"a":"x\\!\n{"a":{"b":1}}\n{"a":"{["}\n{"a":1'
    for (const size of [1, 2, 3, 7, 100]) expect(through(text, true, size)).toBe(due)
  })

  it('a broken line does not hide from DuckDB what the others are', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'mattock-exact-'))
    try {
      for (const broken of ['{"v":', '{"v":[', '{"v":"x', '{"v', '{"v":tru', '{"v":1}}', '{']) {
        const path = join(folder, 'lines.ndjson')
        writeFileSync(path, `{"v":1}\n${broken}\n{"v":"text"}\n{"v":2.5,"more":true}\n`)
        await withDuck('UTC', true, async (duck) => {
          const documents = await exactDocuments([path], { kind: 'ndjson' }, folder)
          const [table] = await documentTables(duck, documents)
          const rows = (await duck.runAndReadAll(`select v, more, mattock_broken from (${table!.sql})`)).getRows() // prettier-ignore
          expect(rows).toEqual([
            ['1', null, false],
            [null, null, true],
            ['text', null, false],
            ['2.5', true, false],
          ])
        })
      }
    } finally {
      rmSync(folder, { recursive: true, force: true })
    }
  })

  it('a line that is no record is made to be none', () => {
    expect(through('{"a":1}\n[1,2]\n\n  {"a":2}\nNaN\n{"a":3', true)).toBe(
      '{"a":1}\n![1,2]\n\n  {"a":2}\n!NaN\n{"a":3',
    )
  })
})
