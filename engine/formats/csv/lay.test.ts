import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { FileFormat } from '../../../core/catalog/found'
import { csvRecords } from '../../../core/files/csvRecords'
import { recordsOf } from '../../../core/files/layout'
import { recordCounter } from '../../reading/count'
import { layPlain } from './lay'

/** Letters that make layouts hard. */
const hard = fc.string({
  unit: fc.constantFrom('a', 'é', '"', ',', ';', '\r', '\n', '\\', ' ', '0'),
  maxLength: 6,
})
const record = fc
  .array(hard, { minLength: 2, maxLength: 4 })
  .filter((fields) => !fields.some((field) => field === 'N'))
const records = fc.array(record, { minLength: 1, maxLength: 6 })
const ends = fc.array(fc.constantFrom('\n', '\r\n', '\r'), { minLength: 6, maxLength: 6 })

/** Bytes through the stream, in pieces of any size. */
async function laid(text: string, format: FileFormat, piece: number): Promise<string> {
  const stream = layPlain(format)
  const out: Buffer[] = []
  stream.on('data', (chunk: Buffer | string) => out.push(Buffer.from(chunk)))
  const done = new Promise((resolve, reject) => stream.on('end', resolve).on('error', reject))
  const bytes = Buffer.from(text)
  for (let at = 0; at < bytes.length; at += piece) stream.write(bytes.subarray(at, at + piece))
  stream.end()
  await done
  return Buffer.concat(out).toString('utf8')
}
function counted(text: string, format: FileFormat, piece: number): number {
  const counter = recordCounter(format)
  const bytes = Buffer.from(text)
  for (let at = 0; at < bytes.length; at += piece) counter.take(bytes.subarray(at, at + piece))
  return counter.end()
}

describe('a text of an odd layout, laid plainly', () => {
  it('holds what was written with doubled quotes, however its lines end', async () => {
    await fc.assert(
      fc.asyncProperty(records, ends, fc.integer({ min: 1, max: 9 }), async (all, each, piece) => {
        const format: FileFormat = { kind: 'csv', delimiter: ',', header: false, ends: 'mixed' }
        const text = all
          .map((fields, i) => fields.map((field) => `"${field.replaceAll('"', '""')}"`).join(',') + each[i]!)
          .join('')
        expect(csvRecords(await laid(text, format, piece))).toEqual(all)
        expect(counted(text, format, piece)).toBe(all.length)
      }),
    )
  })

  it('holds what was written with backslashes, within quotes and without', async () => {
    const escaped = (field: string) => field.replace(/["\\,\r\n]/g, (letter) => `\\${letter}`)
    await fc.assert(
      fc.asyncProperty(records, fc.boolean(), fc.integer({ min: 1, max: 9 }), async (all, quoted, piece) => {
        const format: FileFormat = { kind: 'csv', delimiter: ',', header: false, escape: '\\' }
        // a letter that stands for another behind a backslash is none of these
        const text = all
          .map((fields) => fields.map((field) => (quoted ? `"${escaped(field)}"` : escaped(field))).join(','))
          .map((line) => `${line}\n`)
          .join('')
        expect(csvRecords(await laid(text, format, piece))).toEqual(all)
        expect(counted(text, format, piece)).toBe(all.length)
      }),
    )
  })

  it('leaves out what stands above and below, and counts the same', async () => {
    await fc.assert(
      fc.asyncProperty(
        records,
        fc.nat({ max: 2 }),
        fc.nat({ max: 2 }),
        fc.nat({ max: 3 }),
        async (all, skip, under, tail) => {
          const format: FileFormat = {
            kind: 'csv', delimiter: ';', header: true, heads: 2,
            ...(skip ? { skip } : {}), ...(under ? { under } : {}), ...(tail ? { tail } : {}),
          } // prettier-ignore
          const line = (fields: string[]) =>
            `${fields.map((field) => `"${field.replaceAll('"', '""')}"`).join(';')}\n`
          const text = [
            'title\n'.repeat(skip),
            line(['a', 'b']).repeat(2 + under),
            ...all.map(line),
            line(['sum', '1']).repeat(tail),
          ].join('')
          expect(csvRecords(await laid(text, format, 7))).toEqual(all)
          expect(counted(text, format, 7)).toBe(all.length)
        },
      ),
    )
  })

  it('keeps columns of fixed widths, without the blanks around them', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.stringMatching(/^[a-z]{1,5}$/), fc.stringMatching(/^[0-9]{1,4}$/)), {
          minLength: 1,
          maxLength: 5,
        }),
        (all) => {
          const text = all.map(([word, number]) => `${word.padEnd(6)}${number.padStart(5)}\r\n`).join('')
          expect(recordsOf(text, { widths: [6, 5] }).records.map(({ fields }) => fields)).toEqual(all)
        },
      ),
    )
  })
})
