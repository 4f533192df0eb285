import { gzipSync } from 'node:zlib'
import { zipped } from '../support/files'
import { fault, type Entry } from './entry'

const bytes = (hex: string, more = 200): Buffer =>
  Buffer.concat([Buffer.from(hex, 'hex'), Buffer.alloc(more, 0x7f)])

/** What is no table says what it is. The first bytes are those of the formats' own descriptions, as file-type lists them. */
export const faults: readonly Entry[] = [
  fault('nothing.csv', '', /empty/),
  fault('prose.txt', 'Gauge files land here, one for each district, kind and day.\n', /text, but no table/),
  fault('more-prose.txt', 'Dear all,\nhere are the files, as asked, of November.\nThey are late, sorry, once more, again.\nThe keeper\n', /text, but no table/),
  fault('blanks.csv', '\n\n  \n', /no line with anything/),
  fault('page.csv', '<!DOCTYPE html>\n<html><head><title>Sign in</title></head><body>Please sign in</body></html>\n', /an HTML page, not a table/),
  fault('page-lower.csv', '\n\n<html lang="en">\n<body>502 Bad gateway</body></html>\n', /an HTML page/),
  fault('document.csv', '<?xml version="1.0" encoding="UTF-8"?>\n<rows><row id="1"/></rows>\n', /an XML document/),
  fault('picture.csv', bytes('89504e470d0a1a0a0000000d49484452'), /a PNG picture/),
  fault('photo.csv', bytes('ffd8ffe000104a464946'), /a JPEG picture/),
  fault('paper.csv', Buffer.from('%PDF-1.7\n%âãÏÓ\n1 0 obj\n'), /a PDF/),
  fault('old-sheet.xlsx', bytes('d0cf11e0a1b11ae1', 1000), /office document of the old binary kind/),
  fault('archive.csv', zipped({ 'a.csv': Buffer.from('id,n\n1,2\n') }), /a zip archive/),
  fault('seven.csv', bytes('377abcaf271c'), /a 7z archive/),
  fault('zstd.csv', bytes('28b52ffd'), /packed with zstd/),
  fault('bzip.csv', bytes('425a6839314159265359'), /packed with bzip2/),
  fault('half.csv.gz', gzipSync(Buffer.from('id,n\n' + '1,2\n'.repeat(20_000))).subarray(0, 60), /cannot be unpacked/),
  fault('no-gzip.csv.gz', Buffer.concat([Buffer.from('1f8b0800', 'hex'), Buffer.alloc(40, 1)]), /cannot be unpacked/),
  fault('half.json', '[{"id":1},{"id":', /no JSON that can be read/),
  fault('words.json', 'this is not json', /no JSON/),
  fault('half.parquet', bytes('50415231'), /end is missing/),
  fault('no-sheet.xlsx', 'a,b\n1,2\n', /not what its ending says/),
  fault('no-workbook.xlsx', zipped({ 'a.txt': Buffer.from('x') }), /cannot be read as XLSX/),
  fault('program.csv', bytes('7f454c4602010100'), /a program/),
  fault('noise.csv', Buffer.from(Array.from({ length: 400 }, (_, i) => (i * 37 + 11) % 256)), /binary data, not text/),
  fault('database.csv', Buffer.from('SQLite format 3\u0000' + '\u0001'.repeat(100)), /an SQLite database|binary data/),
] // prettier-ignore
