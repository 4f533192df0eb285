import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createHash } from 'node:crypto'
import { gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import { csvRecords } from '../../core/files/csvRecords'
import type { FileFormat } from '../../core/catalog/found'
import { fingerprint } from './count'
import { topLevelEntries } from '../formats/json/count'

const folder = mkdtempSync(join(tmpdir(), 'mattock-count-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
let made = 0
async function counted(content: string | Buffer, format: Partial<FileFormat> = {}): Promise<number> {
  const file = join(folder, String(++made))
  writeFileSync(file, content)
  return (await fingerprint(file, { kind: 'csv', ...format })).records
}

describe('the count that the balance is held against', () => {
  it.each([
    ['the header does not count', 'a,b\n1,2\n3,4\n', {}, 2],
    ['the last record may have no line break (RFC 4180, rule 2)', 'a,b\n1,2', {}, 1],
    ['line breaks within quotes (rule 6)', 'a,b\n"1\n1",2\r\n3,"""\n"\n', {}, 2],
    ['blank lines do not count', 'a\n\n1\n\r\n2\n', {}, 2],
    ['without a header', '1,2\n3,4\n', { header: false }, 2],
    ['lines above the header', 'Title, of "it\n\na,b\n1,2\n', { skip: 2 }, 1],
    ['comments, whatever quotes are in them', '#x "\na,b\n# "y\n1,2\n', { comment: '#' }, 1],
    ['another delimiter', 'a;b\n"1;\n";2\n', { delimiter: ';' }, 1],
    ['single quotes', "a,b\n'1\n',2\n", { quote: "'" }, 1],
    ['a mark of the encoding', '\uFEFFa,b\n1,2\n', {}, 1],
    ['nothing', '', {}, 0],
    ['lines of JSON', '{"a":1}\n\n{"a":"x\\n"}\n', { kind: 'ndjson' }, 2],
  ] as const)('%s', async (_what, content, format, records) => expect(await counted(content, format)).toBe(records)) // prettier-ignore
  it('reads packed files and UTF-16 the same way', async () => {
    const text = 'a,b\n"1\n",é\n3,4\n'
    expect(await counted(gzipSync(text), { gzip: true })).toBe(2)
    expect(await counted(Buffer.from(`\uFEFF${text}`, 'utf16le'), { encoding: 'utf-16' })).toBe(2)
    expect(await counted(Buffer.from(`\uFEFF${text}`, 'utf16le').swap16(), { encoding: 'utf-16' })).toBe(2)
  })
  it('refuses a packed file that was broken off', async () => {
    const whole = gzipSync(Array.from({ length: 5000 }, (_, i) => `${i},${Math.sin(i)}`).join('\n'))
    await expect(counted(whole.subarray(0, whole.length / 2), { gzip: true })).rejects.toThrow(
      /unexpected end/,
    )
  })
  it('makes the checksum of what lies on the disk', async () => {
    const file = join(folder, 'sum')
    writeFileSync(file, gzipSync('a\n1\n'))
    const print = await fingerprint(file, { kind: 'csv', gzip: true })
    const { readFileSync } = await import('node:fs')
    expect(print.sha256).toBe(createHash('sha256').update(readFileSync(file)).digest('hex'))
  })
  it('counts as a parser of the whole text does, whatever it holds', async () => {
    const field = fc.constantFrom('', 'x', '1', 'a b', 'q"q', 'c,c', 'n\nn', '"', ',')
    const quoted = (value: string) => (/[",\n]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value)
    const rows = fc.array(fc.array(field, { minLength: 2, maxLength: 3 }), { minLength: 1, maxLength: 8 })
    await fc.assert(
      fc.asyncProperty(rows, async (records) => {
        const text = records.map((record) => record.map(quoted).join(',')).join('\n') + '\n'
        expect(await counted(text, { header: false })).toBe(csvRecords(text).length)
      }),
      { numRuns: 60 },
    )
  })
})

describe('entries of a JSON list, counted without reading them', () => {
  it('is as many as JSON.parse finds', () => {
    fc.assert(
      fc.property(fc.array(fc.jsonValue(), { maxLength: 6 }), fc.constantFrom(0, 1, 2), (list, indent) => {
        expect(topLevelEntries(Buffer.from(JSON.stringify(list, null, indent)))).toBe(list.length)
      }),
    )
  })
})
