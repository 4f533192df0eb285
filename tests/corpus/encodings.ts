import { gzipSync } from 'node:zlib'
import iconv from 'iconv-lite'
import { entry, rows, type Entry } from './entry'

const text = 'id;ort\n1;Mühle\n2;Straße\n'
const columns = 'id integer, ort text'
const found = rows('1|Mühle', '2|Straße')
const swapped = (of: string): Buffer => Buffer.from(of, 'utf16le').swap16()

/** Encodings as programs write them; those that no text tells are stated. iconv-lite writes them, an outside library. */
export const encodings: readonly Entry[] = [
  entry('utf8.csv', text, columns, found),
  entry('utf8-mark.csv', `\uFEFF${text}`, columns, found),
  entry('latin1.csv', Buffer.from(text, 'latin1'), columns, found),
  entry('windows.csv', iconv.encode('id;preis\n1;„5 €“\n2;6 €\n', 'windows-1252'), 'id integer, preis text', rows('1|„5 €“', '2|6 €')),
  entry('utf16le.csv', Buffer.from(`\uFEFF${text}`, 'utf16le'), columns, found),
  entry('utf16be.csv', swapped(`\uFEFF${text}`), columns, found),
  entry('utf16-no-mark.csv', Buffer.from(text, 'utf16le'), columns, found),
  entry('utf16-crlf.csv', Buffer.from(`\uFEFF${text.replaceAll('\n', '\r\n')}`, 'utf16le'), columns, found),
  entry('utf16-total.csv', Buffer.from('\uFEFFort;n\nMühle;1\nStraße;2\nTotal;3\n', 'utf16le'), 'ort text, n integer', rows('Mühle|1', 'Straße|2')),
  entry('gzip.csv.gz', gzipSync(text), columns, found),
  entry('gzip-latin1.csv.gz', gzipSync(Buffer.from(text, 'latin1')), columns, found),
  entry('gzip-total.csv.gz', gzipSync('ort;n\nA;1\nB;2\nTotal;3\n'), 'ort text, n integer', rows('A|1', 'B|2')),
  entry('dos.csv', iconv.encode(text, 'cp850'), 'id integer, ort text', found, { from: 'encoding: cp850, delimiter: ;', loaded: columns }),
  entry('polish.csv', iconv.encode('id;miasto\n1;Łódź\n2;Gdańsk\n', 'windows-1250'), 'id integer, miasto text', rows('1|Łódź', '2|Gdańsk'), { from: 'encoding: windows-1250, delimiter: ;', loaded: 'id integer, miasto text' }),
  entry('russian.csv', iconv.encode('id;город\n1;Омск\n2;Тула\n', 'koi8-r'), 'id integer, x text', rows('1|Омск', '2|Тула'), { from: 'encoding: koi8-r, delimiter: ;', loaded: 'id integer, город text' }),
  entry('japanese.csv', iconv.encode('id,市\n1,東京\n2,大阪\n', 'shift_jis'), 'id integer, x text', rows('1|東京', '2|大阪'), { from: 'encoding: shift_jis', loaded: 'id integer, 市 text' }),
  entry('two-encodings.csv', Buffer.concat([Buffer.from('id;ort\n1;Mühle\n2;Düne\n3;Höhe\n'), Buffer.from('4;T\xfcr\n', 'latin1'), Buffer.from('5;Bär\n')]), columns, rows('1|Mühle', '2|Düne', '3|Höhe', '5|Bär'), { rejects: 1 }),
] // prettier-ignore
