import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import ExcelJS from 'exceljs'
import { describe, expect, it } from 'vitest'
import { layDownSheets } from '../engine/formats/xlsx/sheets'
import { dateText } from '../engine/formats/xlsx/workbook'
import { xlsx, zipped } from './support/files'

const folder = mkdtempSync(join(tmpdir(), 'mattock-books-'))
let made = 0

async function laid(book: Buffer): Promise<Record<string, string>> {
  const path = join(folder, `${++made}.xlsx`)
  writeFileSync(path, book)
  const { sheets } = await layDownSheets(path, 'book.xlsx', join(folder, String(made)))
  return Object.fromEntries(sheets.map(({ name, csv }) => [name, readFileSync(csv, 'utf8')]))
}

describe('sheets of XLSX files', () => {
  it('come out the same from two libraries that write them, every time', async () => {
    const rows = [['Made by', 'hand'], ['sample', 'taken', 'value', 'ok'], ['S1', new Date(Date.UTC(2026, 10, 2)), 12.4, true], ['S "2"', new Date(Date.UTC(2026, 10, 3)), '<0.05', false]] // prettier-ignore
    const other = new ExcelJS.Workbook()
    const sheet = other.addWorksheet('Results')
    for (const row of rows) sheet.addRow(row)
    const wanted = 'sample,taken,value,ok\nS1,2026-11-02,12.4,true\n"S ""2""",2026-11-03,<0.05,false\n'
    const books = [await xlsx({ Results: rows }), Buffer.from(await other.xlsx.writeBuffer())]
    for (let i = 0; i < 20; i++)
      for (const book of books) expect(await laid(book)).toEqual({ Results: wanted })
  })
  it('keep formulas’ results, rich text, gaps and many rows', async () => {
    const book = new ExcelJS.Workbook()
    const sheet = book.addWorksheet('x')
    sheet.addRow(['a', 'b', 'c'])
    sheet.addRow([
      1,
      { formula: 'A2+1', result: 2 },
      { richText: [{ text: 'x' }, { text: 'y', font: { bold: true } }] },
    ])
    sheet.getCell('C4').value = 'far'
    for (let i = 0; i < 3000; i++) sheet.addRow([i, i / 3, `t${i}`])
    const [csv] = Object.values(await laid(Buffer.from(await book.xlsx.writeBuffer())))
    const lines = csv!.trimEnd().split('\n')
    expect(lines.slice(0, 4)).toEqual(['a,b,c', '1,2,xy', ',,far', '0,0,t0'])
    expect(lines).toHaveLength(3003)
    expect(lines.at(-1)).toBe(`2999,${2999 / 3},t2999`)
  })
  it('refuse what is no workbook, with a clear error', async () => {
    await expect(laid(zipped({ 'a.txt': Buffer.from('x') }))).rejects.toThrow(/no workbook with sheets/)
    await expect(laid(Buffer.from('PK\u0003\u0004 broken'))).rejects.toThrow(/cannot be unpacked/)
    const cut = await xlsx({
      a: [
        ['x', 'y'],
        [1, 2],
      ],
    })
    await expect(laid(cut.subarray(0, cut.length - 200))).rejects.toThrow(/cannot be unpacked/)
  })
  // ECMA-376 part 1, 18.17.4.1 and 18.17.4.3: serial values of dates in both date systems
  it.each([
    [1, false, '1900-01-01'], [59, false, '1900-02-28'], [61, false, '1900-03-01'], [39448, false, '2008-01-01'], [37986, true, '2008-01-01'],
    [0.5, false, '12:00:00'], [46328.25, false, '2026-11-02T06:00:00'],
  ] as const)('the serial number %d is a date', (serial, from1904, text) => expect(dateText(serial, from1904)).toBe(text)) // prettier-ignore
})
