import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import type { FormatDefinition } from '../../core/files/formats/definition'
import { fileKinds, formats as known, kindByName } from '../../core/files/formats'
import { detectFile } from './detect'
import { checkGzip } from './gzip'
import { formats } from './index'
import { topLevelEntries } from './json/count'
import { checkZip } from './zip'

const folder = mkdtempSync(join(tmpdir(), 'mattock-detect-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const put = (name: string, bytes: Buffer | string): string => {
  const full = join(folder, name.replaceAll('/', '_'))
  writeFileSync(full, bytes)
  return full
}
const detect = (name: string, bytes: Buffer | string) => detectFile(put(name, bytes), name)
const table = 'meter;value\nä;1,5\nb;2\n'

describe('what a file is', () => {
  it.each([
    ['a.csv', 'x,y\n1,2\n', { kind: 'csv', encoding: 'utf-8', gzip: false, whole: true }],
    ['a.tsv', 'x\ty\n1\t2\n', { kind: 'csv' }],
    ['a', 'x,y\n1,2\n', { kind: 'csv' }],
    ['a.txt', 'x|y\n1|2\n', { kind: 'csv' }],
    ['a.json', '[{"a": 1}]', { kind: 'json' }],
    ['a.json', '{\n  "a": [1]\n}', { kind: 'json' }],
    ['a.json', '{"a": 1}', { kind: 'json' }],
    ['a.ndjson', '{"a": 1}', { kind: 'ndjson' }],
    ['a.json', '{"a": 1}\n{"a": 2}\n', { kind: 'ndjson' }],
    ['a.json', '\uFEFF[1]', { kind: 'json' }],
    // a document of its own ending is one, though it stands in one line (RFC 7946)
    ['a.geojson', '{"type": "FeatureCollection", "features": []}', { kind: 'json' }],
    // endings of anybody's go by what stands in the file, others by their own
    ['a.dat', '[{"a": 1}]', { kind: 'json' }],
    ['a.TXT', '{"a": 1}\n{"a": 2}', { kind: 'ndjson' }],
    ['a', '{"a": 1}', { kind: 'ndjson' }],
    ['a.csv', '{"a": 1}', { kind: 'csv' }],
    ['a.csv', '[x],y\n1,2\n', { kind: 'csv' }],
    ['a.jsonl', '{\n"a": 1}', { kind: 'json' }],
    ['A.XLSX', Buffer.from('504b0304', 'hex'), { kind: 'xlsx', sample: '' }],
    ['no.ending', Buffer.from('504152310050415231', 'hex'), { kind: 'parquet' }],
  ])('%s with %j', async (name, text, found) => {
    expect(await detect(name, text)).toMatchObject(found)
  })

  it.each([
    ['empty.csv', '', 'it is empty (0 bytes)'],
    ['note.txt', 'please look at this\n', 'text, but no table'],
    ['half.csv.part', 'x,y\n1,2\n', 'a name that ends with .part is not taken for a table'],
    ['a.csv', '\x00\x01\x02\x03', 'binary data, not text'],
    // magic numbers: PNG (RFC 2083), PDF (ISO 32000), ZIP (APPNOTE), gzip (RFC 1952)
    ['a.csv', Buffer.from('89504e470d0a1a0a', 'hex'), 'a PNG picture, not a table'],
    ['a.csv', '%PDF-1.7', 'a PDF, not a table'],
    ['a.csv', Buffer.from('504b0304', 'hex'), 'a zip archive'],
    ['a.csv.gz', Buffer.from('1f8b0800', 'hex'), 'gzip that cannot be unpacked: it is damaged'],
    ['a.xlsx', 'x,y\n', 'not what its ending says: it begins with "x,y\\n"'],
    ['a.json', 'a,b\n', 'no JSON: it begins with "a,b"'],
    ['a.ndjson', '  ', 'no JSON: it begins with ""'],
    [
      'a.parquet.gz',
      gzipSync('PAR1 PAR1'),
      `not what its ending says: it begins with ${JSON.stringify('\x1f\x8b\x08\x00')}`,
    ],
    ['a.parquet', 'PAR1 and no end', 'a Parquet file whose end is missing: it was broken off'],
  ])('%s is none: %j', async (name, bytes, reason) => {
    expect(await detect(name, bytes)).toEqual({ reason })
  })

  it.each([
    ['UTF-8', Buffer.from(table), 'utf-8'],
    ['UTF-16 with its mark', Buffer.from(`\uFEFF${table}`, 'utf16le'), 'utf-16'],
    ['UTF-16 without', Buffer.from(table, 'utf16le'), 'utf-16'],
    ['UTF-16 the other way round', Buffer.from(`\uFEFF${table}`, 'utf16le').swap16(), 'utf-16'],
    ['Latin-1', Buffer.from(table, 'latin1'), 'latin-1'],
  ])('is read in %s', async (_, bytes, encoding) => {
    const found = await detect('a.csv', bytes)
    expect(found).toMatchObject({ kind: 'csv', encoding })
    expect((found as { sample: string }).sample.replace(/^\uFEFF/, '')).toBe(table)
  })

  it('is UTF-8 where the end of the sample cuts a letter', async () => {
    const found = await detect('long.csv', `x\n${'a'.repeat(65_533)}äää\n`)
    expect(found).toMatchObject({ encoding: 'utf-8', whole: false })
    expect((found as { sample: string }).sample).not.toContain('\uFFFD')
  })

  it('is seen through gzip, whatever the length', async () => {
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 1, max: 20_000 }), async (rows) => {
        const found = await detect('g.csv.gz', gzipSync(`x,y\n${'1,2\n'.repeat(rows)}`))
        expect(found).toMatchObject({ kind: 'csv', gzip: true, whole: rows * 4 + 4 < 65_536 })
      }),
      { numRuns: 8 },
    )
  })
})

describe('every format', () => {
  it('has endings that no other has, and is told by its first bytes or by its text', () => {
    const endings = fileKinds.flatMap((kind) => [...known[kind].endings.own, ...((known[kind] as FormatDefinition).endings.shared ?? [])])
    expect(new Set(endings).size).toBe(endings.length)
    for (const kind of fileKinds) {
      expect(known[kind].endings.own.map((ending) => kindByName(`in/x.${ending.toUpperCase()}`))).toEqual(known[kind].endings.own.map(() => kind))
      expect([formats[kind].mark, formats[kind].begins].filter(Boolean), kind).toHaveLength(1)
    }
    expect(['note', 'a.b/c', 'x.csv.gz', '.json', 'x.unknown'].map(kindByName)).toEqual(['csv', 'csv', 'csv', 'json', 'csv'])
  }) // prettier-ignore
  it('that core knows is read here', () => {
    expect(Object.keys(formats).sort()).toEqual([...fileKinds].sort())
  })
})

describe('a packed file', () => {
  it('that is broken off is told, and one that is whole is not', async () => {
    const packed = gzipSync('x,y\n'.repeat(10_000))
    await checkGzip(put('whole.gz', packed), 'whole.gz')
    await expect(checkGzip(put('half.gz', packed.subarray(0, packed.length - 9)), 'half.gz')).rejects.toThrow(
      /half\.gz/,
    )
    await expect(
      checkGzip(put('torn.gz', Buffer.concat([packed.subarray(0, 30), Buffer.alloc(50)])), 'torn.gz'),
    ).rejects.toThrow()
  })

  it('that is no archive is told', async () => {
    await expect(checkZip(put('no.xlsx', 'PK but no archive'), 'no.xlsx')).rejects.toThrow(/no\.xlsx/)
  })
})

describe('entries of a JSON text', () => {
  it('are counted as JSON.parse finds them (ECMA-404)', () => {
    fc.assert(
      fc.property(fc.array(fc.jsonValue()), fc.constantFrom(0, 2, '\t'), (values, indent) => {
        expect(topLevelEntries(Buffer.from(JSON.stringify(values, null, indent)))).toBe(values.length)
      }),
      { numRuns: 300 },
    )
  })

  it('do not count what stands within texts', () => {
    expect(topLevelEntries(Buffer.from('[{"a": "],[{"}, "\\"],", []]'))).toBe(3)
  })
})
