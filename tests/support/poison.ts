import { execFileSync } from 'node:child_process'
import { closeSync, mkdirSync, openSync, symlinkSync, writeFileSync, writeSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { zipSync, type Zippable } from 'fflate'

/** A file that does harm to who reads it without care. */
export interface Poison {
  /** Its path in a store; its name tells the format. */
  readonly path: string
  readonly make: (full: string) => void
  /** What is said of it by whoever cannot take it; none of its rows is written. */
  readonly says: RegExp
}

const text = (content: () => string) => (full: string) => writeFileSync(full, content())
const bytes = (content: () => Uint8Array) => (full: string) => writeFileSync(full, content())

/** Writes a piece again and again. */
function fill(full: string, begin: string, piece: string, times: number, end: string): void {
  const file = openSync(full, 'w')
  writeSync(file, begin)
  const many = piece.repeat(1024)
  for (let i = 0; i < times / 1024; i++) writeSync(file, many)
  writeSync(file, end)
  closeSync(file)
}

const xlsx = (sheet: string, more: Zippable = {}): Uint8Array => {
  const xml = (body: string) => Buffer.from(`<?xml version="1.0" encoding="UTF-8" standalone="yes"?>${body}`)
  const types = 'http://schemas.openxmlformats.org'
  return zipSync({
    '[Content_Types].xml': xml(`<Types xmlns="${types}/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`),
    '_rels/.rels': xml(`<Relationships xmlns="${types}/package/2006/relationships"><Relationship Id="rId1" Type="${types}/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`),
    'xl/workbook.xml': xml(`<workbook xmlns="${types}/spreadsheetml/2006/main" xmlns:r="${types}/officeDocument/2006/relationships"><sheets><sheet name="one" sheetId="1" r:id="rId1"/></sheets></workbook>`),
    'xl/_rels/workbook.xml.rels': xml(`<Relationships xmlns="${types}/package/2006/relationships"><Relationship Id="rId1" Type="${types}/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`),
    'xl/worksheets/sheet1.xml': Buffer.from(sheet),
    ...more,
  }) // prettier-ignore
}
const sheetOf = (rows: string): string =>
  `<?xml version="1.0" encoding="UTF-8" standalone="yes"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>${rows}</sheetData></worksheet>`
const cell = (value: string) => `<c t="inlineStr"><is><t>${value}</t></is></c>`

/** Every poison, each in a folder of its own. */
export const poisons: readonly Poison[] = [
  {
    path: 'wide/x.csv',
    make: text(() => `${Array.from({ length: 5000 }, (_, i) => `c${i}`).join(',')}\n${`${Array(5000).fill('1').join(',')}\n`.repeat(5)}`),
    says: /5,?000 columns/,
  },
  {
    path: 'long-line/x.csv',
    make: (full) => fill(full, 'id,text\n1,"', 'no line break in it ', 200 * 2 ** 20 / 20, '"\n2,b\n'),
    says: /line|longer|large/i,
  },
  { path: 'deep/x.json', make: text(() => '['.repeat(100_000) + ']'.repeat(100_000)), says: /deep|brackets/i },
  {
    path: 'deep-lines/x.ndjson',
    make: text(() => `{"id": 1, "v": ${'['.repeat(100_000)}${']'.repeat(100_000)}}\n{"id": 2}\n`),
    says: /deep|brackets/i,
  },
  {
    path: 'bomb/x.csv.gz',
    make: bytes(() => gzipSync(Buffer.concat([Buffer.from('id,text\n'), Buffer.alloc(250 * 2 ** 20, '1,aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\n')]))),
    says: /unpack|times|larger/i,
  },
  {
    path: 'bomb-sheet/x.xlsx',
    make: bytes(() => xlsx(sheetOf(`<row>${cell('id')}</row>${`<row>${cell('x'.repeat(200))}</row>`.repeat(1_000_000)}`))),
    says: /unpack|times|larger/i,
  },
  {
    path: 'entries/x.xlsx',
    make: bytes(() => xlsx(sheetOf(`<row>${cell('id')}</row><row>${cell('1')}</row>`), Object.fromEntries(Array.from({ length: 20_000 }, (_, i) => [`xl/media/${i}.bin`, new Uint8Array()])))),
    says: /20,?0\d\d (files|entries)/,
  },
  {
    path: 'laughs/x.xlsx',
    make: bytes(() => {
      const entities = Array.from({ length: 12 }, (_, i) => `<!ENTITY l${i + 1} "${`&l${i};`.repeat(10)}">`).join('')
      return xlsx(`<?xml version="1.0"?><!DOCTYPE x [<!ENTITY l0 "ha">${entities}]>${sheetOf(`<row>${cell('id')}</row><row>${cell('&l12;')}</row>`).replace(/^.*?\?>/, '')}`)
    }),
    says: /./,
  },
  { path: 'cut/x.csv.gz', make: bytes(() => gzipSync(Buffer.from('id,v\n1,a\n2,b\n'.repeat(10_000))).subarray(0, 60)), says: /gzip|broken|cut|end/i },
  { path: 'cut-parquet/x.parquet', make: bytes(() => Buffer.from('PAR1\0\0\0\0\0\0\0\0\0\0PAR1')), says: /./ },
  { path: 'no-parquet/x.parquet', make: text(() => 'id,v\n1,2\n'), says: /./ },
  { path: 'no-zip/x.xlsx', make: bytes(() => Buffer.from('PK\x03\x04 and nothing that follows')), says: /./ },
  { path: 'nothing/x.csv', make: bytes(() => Buffer.alloc(4096)), says: /./ },
  { path: 'noise/x.csv', make: bytes(() => Uint8Array.from({ length: 65_536 }, (_, i) => (i * 7919 + (i >> 3) * 31) % 256)), says: /./ },
  { path: 'round/x.csv', make: (full) => symlinkSync(full, full), says: /./ },
  { path: 'folder/x.csv', make: (full) => mkdirSync(full), says: /./ },
  { path: 'pipe/x.csv', make: (full) => void execFileSync('mkfifo', [full]), says: /./ },
] // prettier-ignore

/** Makes them below a folder; those that are asked for only. */
export function makePoisons(folder: string, which: readonly Poison[] = poisons): void {
  for (const { path, make } of which) {
    mkdirSync(dirname(join(folder, path)), { recursive: true })
    make(join(folder, path))
  }
  // a folder that leads back to the one it is in
  symlinkSync(folder, join(folder, 'again'))
}
