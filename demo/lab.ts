import { existsSync, mkdirSync, utimesSync } from 'node:fs'
import { join } from 'node:path'
import ExcelJS from 'exceljs'
import type { Temporal } from 'temporal-polyfill'
import { districts, zone } from './basin'
import { stamp } from './gauges'
import { randomFrom } from './random'

export const laboratories = ['corrie', 'hexley'] as const

const parameters = [
  { name: 'nitrate', unit: 'mg/L', usual: 12, least: 0.5, method: 'IC-2' },
  { name: 'lead', unit: 'µg/L', usual: 1.4, least: 0.5, method: 'MS-1' },
  { name: 'iron', unit: 'mg/L', usual: 0.06, least: 0.05, method: 'MS-1' },
  { name: 'coliforms', unit: 'per 100 mL', usual: 0, least: 1, method: 'C-7' },
  { name: 'hardness', unit: 'dH', usual: 7.2, least: 0.1, method: 'T-3' },
] as const

/** A result as the laboratory's clerks typed it: below the limit, with a decimal comma, with the unit behind it. */
function typedResult(random: () => number, value: number, least: number, unit: string): string | number {
  if (value < least) return `<${least}`
  const rounded = Number(value.toPrecision(3))
  const way = random()
  if (way < 0.12) return String(rounded).replace('.', ',')
  if (way < 0.2) return `${rounded} ${unit}`
  return rounded
}

/** Writes the week's report of a laboratory that begins with this Monday; newer ones of Hexley name the analyst too. */
export async function layReport(
  folder: string,
  lab: (typeof laboratories)[number],
  monday: Temporal.PlainDate,
  withAnalyst: boolean,
): Promise<void> {
  mkdirSync(folder, { recursive: true })
  const path = join(folder, `lab_${lab}_${stamp(monday)}.xlsx`)
  if (existsSync(path)) return
  const random = randomFrom(`${lab} ${monday.toString()}`)
  const book = new ExcelJS.Workbook()
  book.created = new Date(monday.add({ days: 7 }).toZonedDateTime(zone).epochMilliseconds)
  const cover = book.addWorksheet('Cover')
  cover.addRow([`${lab[0]!.toUpperCase()}${lab.slice(1)} laboratory`])
  cover.addRow([`Week of ${monday.toString()}`])
  const sheet = book.addWorksheet('Results')
  sheet.addRow(['Results of the week'])
  sheet.addRow([])
  sheet.addRow([
    'sample',
    'district',
    'point',
    'taken',
    'parameter',
    'result',
    'unit',
    'method',
    ...(withAnalyst ? ['analyst'] : []),
  ])
  for (let day = 0; day < 7; day++) {
    const taken = monday.add({ days: day })
    for (const district of districts) {
      const sample = `${lab.slice(0, 2).toUpperCase()}-${stamp(taken).slice(2)}-${district.slice(0, 2).toUpperCase()}`
      const point = `T${1 + Math.floor(random() * 6)}`
      for (const { name, unit, usual, least, method } of parameters) {
        const result = typedResult(random, usual * (0.3 + 1.4 * random()), least, unit)
        const row = sheet.addRow([
          sample,
          district,
          point,
          new Date(`${taken.toString()}T00:00:00Z`),
          name,
          result,
          unit,
          method,
          ...(withAnalyst ? [random() < 0.5 ? 'L1' : 'L2'] : []),
        ])
        row.getCell(4).numFmt = 'yyyy-mm-dd'
      }
    }
  }
  book.addWorksheet('Notes')
  await book.xlsx.writeFile(path)
  const came =
    monday.add({ days: 7 }).toZonedDateTime({ timeZone: zone, plainTime: '07:40' }).epochMilliseconds / 1000
  utimesSync(path, came, came)
}
