import type { SheetData } from 'write-excel-file/node'
import { xlsx } from '../support/files'
import { entry, fault, rows, type Entry } from './entry'

const cell = (value: string | number | boolean | Date, format?: string) =>
  value instanceof Date
    ? { value, type: Date, format: format ?? 'yyyy-mm-dd' }
    : { value, ...(format ? { format } : {}) }
const sheet = (...lines: (string | number | boolean | Date | null)[][]): SheetData =>
  lines.map((line) => line.map((value) => (value === null ? null : cell(value)))) as SheetData

const two = sheet(['id', 'side'], [1, 'north'], [2, 'south'])
const columns = 'id integer, side text'
const found = rows('1|north', '2|south')

/** Workbooks (ECMA-376) written by an outside library; those of another one are in outside.ts. */
export const sheets = async (): Promise<readonly Entry[]> => [
  entry('plain.xlsx', await xlsx({ data: two }), columns, found),
  entry('second-sheet.xlsx', await xlsx({ notes: sheet(['made by hand']), data: two }), columns, found),
  entry('empty-sheet.xlsx', await xlsx({ empty: [], data: two }), columns, found),
  entry('title.xlsx', await xlsx({ data: sheet(['Ostrel Basin Water'], [null], ['id', 'side', 'n'], [1, 'north', 5], [2, 'south', 6]) }), 'id integer, side text, n integer', rows('1|north|5', '2|south|6')),
  entry('total.xlsx', await xlsx({ data: sheet(['side', 'n'], ['north', 5], ['south', 6], ['Total', 11]) }), 'side text, n integer', rows('north|5', 'south|6'), { log: /below the table: Total 11/ }),
  entry('units.xlsx', await xlsx({ data: sheet(['side', 'flow'], [null, 'm3/s'], ['north', 5.5], ['south', 6]) }), 'side text, flow decimal', rows('north|5.5', 'south|6')),
  entry('groups.xlsx', await xlsx({ data: sheet(['side', 'flow', null, 'level', null], [null, 'mean', 'max', 'mean', 'max'], ['north', 1, 2, 3, 4], ['south', 5, 6, 7, 8]) }), 'side text, flow mean integer, flow max integer, level mean integer, level max integer', rows('north|1|2|3|4', 'south|5|6|7|8')),
  entry('years.xlsx', await xlsx({ data: sheet(['side', 2024, 2025], ['north', 12.5, 13], ['south', 14, 15]) }), 'side text, 2024 decimal, 2025 integer', rows('north|12.5|13', 'south|14|15')),
  entry('days.xlsx', await xlsx({ data: sheet(['d', 'n'], [new Date(Date.UTC(2026, 1, 28)), 1], [new Date(Date.UTC(2024, 1, 29)), 2]) }), 'd date, n integer', rows('2026-02-28|1', '2024-02-29|2')),
  entry('booleans.xlsx', await xlsx({ data: sheet(['b', 'n'], [true, 1], [false, 2]) }), 'b boolean, n integer', rows('true|1', 'false|2')),
  entry('text-numbers.xlsx', await xlsx({ data: sheet(['code', 'v'], ['007', '1,5'], ['012', '2,5']) }), 'code text, v decimal', rows('007|1.5', '012|2.5')),
  entry('twice.xlsx', await xlsx({ data: sheet(['a', 'a', null], [1, 2, 3], [4, 5, 6]) }), 'a integer, a_2 integer, column_3 integer', rows('1|2|3', '4|5|6')),
  entry('blank-rows.xlsx', await xlsx({ data: sheet(['id', 'side'], [1, 'north'], [null, null], [2, 'south']) }), columns, found),
  entry('named-sheet.xlsx', await xlsx({ a: sheet(['x', 'y'], [1, 2]), data: two }), columns, found, { from: 'sheet: data', loaded: columns }),
  entry('all-sheets.xlsx', await xlsx({ 'of-2025': two, 'of-2026': sheet(['id', 'side'], [3, 'east']) }), columns, [...found, ['3', 'east']].map((row) => [...row, row[0] === '3' ? 'of-2026' : 'of-2025']), { from: 'sheet: "of-*"', loaded: 'id integer, side text, sheet text' }),
  entry('skipped.xlsx', await xlsx({ data: sheet(['x', 'y'], [9, 9], ['id', 'side'], [1, 'north'], [2, 'south']) }), 'x text, y text', found, { from: 'skip: 2', loaded: columns }),
  fault('notes.xlsx', await xlsx({ notes: sheet(['call the north'], ['then the south']) }), /notes, but no table/),
  fault('no-rows.xlsx', await xlsx({ data: sheet(['id', 'side']) }), /no rows below its header/),
] // prettier-ignore
