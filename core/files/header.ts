import { classOf, type ValueClass } from '../catalog/valueClass'
import { distinctNames, unnamed } from './names'
import { isNote, isUnit } from './units'

export { unnamed } from './names'

/** Where the table stands in a list of records that may have titles, notes and totals around it. */
export interface TablePlace {
  /** Records above the table. */
  readonly skip: number
  /** Records of the header: 0 where there is none, 2 where names stand in two lines. */
  readonly heads: number
  /** Records between header and rows that are no rows: units, a ruled line. */
  readonly under: number
  /** Records below the rows: totals, notes. */
  readonly tail: number
  readonly header: boolean
  /** The header's names, or column_1, column_2 … where there is none; each one another. */
  readonly names: readonly string[]
  readonly width: number
  /** What a person should know of it, in words. */
  readonly said: readonly string[]
}

type Cells = readonly string[]

const filled = (record: Cells): number => record.filter((field) => field.trim() !== '').length
/** Classes of cells that were seen lately: like files have like values. */
const lately = new Map<string, ValueClass>()
const mostSeen = 4_096
function classOnce(cell: string): ValueClass {
  if (cell.length > 40) return classOf(cell)
  const before = lately.get(cell)
  if (before !== undefined) return before
  const found = classOf(cell)
  if (lately.size >= mostSeen) lately.clear()
  lately.set(cell, found)
  return found
}

/** Classes of the cells of records, each worked out once. */
const known = new WeakMap<Cells, readonly ValueClass[]>()
export function classesOf(record: Cells): readonly ValueClass[] {
  const found = known.get(record) ?? record.map(classOnce)
  known.set(record, found)
  return found
}
/** Text, or nothing. */
const wordy = (name: ValueClass): boolean => ['text', 'blank', 'yes-word', 'no-word'].includes(name)
const isWord = (name: ValueClass): boolean => name !== 'blank' && wordy(name)
const isRule = (record: Cells): boolean =>
  filled(record) > 0 &&
  record.every((cell) => /^[-=_+| ]*$/.test(cell)) &&
  record.some((cell) => /[-=_]{2,}/.test(cell))

/** Words that the first cell of a row of sums begins with, in languages of Europe. */
const sums =
  /^(grand |sub)?(totals?|sum|sums|average|mean|summe|gesamt|gesamtsumme|insgesamt|mittelwert|totalt?|totaal|somme|moyenne|totale|somma|suma|summa|razem|celkem|spolu|összesen|yhteensä|i alt|skupaj|ukupno)(?![\p{L}\p{N}])/iu

/**
 * Finds the table: its width is the commonest number of fields (the larger where two are as common), it begins at the
 * first record of that width whose fields are filled as the header must be, else at the first of that width. `last` are
 * the last records of the file, where the records do not go to its end; null where they are not known. Undefined where
 * there is no record.
 */
export function findTable(
  records: readonly Cells[],
  last: readonly Cells[] | null | undefined = undefined,
): TablePlace | undefined {
  const whole = last === undefined
  const widths = new Map<number, number>()
  for (const record of records) {
    const width = lastFilled(record)
    if (width > 0) widths.set(width, (widths.get(width) ?? 0) + 1)
  }
  if (widths.size === 0) return undefined
  const most = Math.max(...widths.values())
  const width = Math.max(...[...widths].filter(([, count]) => count === most).map(([value]) => value))
  // notes above a table are narrower than it, and rows whose last fields are blank are not wider
  let first = records.findIndex((record) => lastFilled(record) >= width)
  if (first < 0) return undefined
  first = beginning(records, first, width)
  const said: string[] = []
  const head = records[first]!
  const below = records.slice(first + 1)
  const double = isUpper(records, first, whole)
  const header = double || isHeader(head, below)
  let heads = header ? 1 : 0
  let names: Cells = header ? head : []
  if (double) {
    names = joined(head, records[first + 1]!)
    heads = 2
  }
  let under = 0
  if (header)
    for (let next = records[first + heads]; next && under < 3; next = records[first + heads + under]) {
      if (isRule(next)) under++
      else if (isUnits(next, records.slice(first + heads + under + 1))) {
        said.push(`units below the header: ${named(names, next)}`)
        under++
      } else break
    }
  const rows = records.slice(first + heads + under)
  const end = whole ? rows : (last ?? [])
  const tail = tailOf(
    end,
    width,
    new Set((whole ? rows.slice(0, -6) : rows).map((row) => (row[0] ?? '').trim())),
  )
  for (const record of end.slice(end.length - tail)) said.push(`below the table: ${line(record)}`)
  const across = acrossOf(
    whole ? rows.slice(0, rows.length - tail) : rows,
    header ? Math.max(width, lastFilled(head)) : width,
  )
  const padded = header
    ? padNames(names.slice(0, Math.max(lastFilled(names), width)), across, rows)
    : unnamed(across)
  const distinct = header ? distinctNames(padded) : { names: padded, said: [] }
  return {
    skip: first,
    heads,
    under,
    tail,
    header,
    names: distinct.names,
    width: distinct.names.length,
    said: [...said, ...distinct.said],
  }
}

const line = (record: Cells): string => record.map((cell) => cell.trim()).filter(Boolean).join(' ') // prettier-ignore
const named = (names: Cells, units: Cells): string =>
  units.flatMap((unit, i) => (unit.trim() ? [`${names[i]?.trim() || `column_${i + 1}`} ${unit.trim()}`] : [])).join(', ') // prettier-ignore

function lastFilled(record: Cells): number {
  let end = record.length
  while (end > 0 && record[end - 1]!.trim() === '') end--
  return end
}

/**
 * A header's first line may name groups only, and then has blanks where the second has names; a header may lack its last
 * names; and it may be one short, where the rows are named and their names are not.
 */
function beginning(records: readonly Cells[], first: number, width: number): number {
  const above = records[first - 1]
  if (!above || filled(above) < 2 || above.some((cell) => /:\s*$/.test(cell))) return first
  const below = records.slice(first)
  if (above.length === width - 1 && filled(above) === above.length)
    return isHeader(
      above,
      below.map((row) => row.slice(1)),
      true,
    )
      ? first - 1
      : first
  const head = records[first]!
  const groups = above.some((cell, i) => i > 0 && cell.trim() === '' && (head[i] ?? '').trim() !== '')
  const isCorner = (above[0] ?? '').trim() === '' || (head[0] ?? '').trim() === ''
  const full = above.length >= width
  if (
    (isCorner || (full && filled(above) > 2)) &&
    (groups || lastFilled(above) < width) &&
    isHeader(head, below.slice(1))
  )
    return isUpper(records, first - 1, true) ? first - 1 : first
  return full && isHeader(above, below, true) ? first - 1 : first
}

/**
 * Do names stand in two lines? Then the second has texts where the rows have values, and the first leaves blanks, or
 * says a name again, where the second has names of their own; without such blanks, three columns of values at least.
 */
function isUpper(records: readonly Cells[], first: number, whole: boolean): boolean {
  const [upper, second] = [records[first]!, records[first + 1]]
  const rows = records.slice(first + 2)
  if (!upper.every((cell) => wordy(classOf(cell)) || period(cell))) return false
  if (!second || rows.length < (whole ? 1 : 2) || isRule(second) || isUnits(second, rows)) return false
  if (second.some((cell) => /[0-9]/.test(cell)) || !isHeader(second, rows, true)) return false
  const values = valued(rows, second.length)
  const named = values.filter((is, i) => is && (second[i] ?? '').trim() !== '').length
  const groups = second.some(
    (cell, i) => i > 0 && cell.trim() !== '' && ((upper[i] ?? '').trim() === '' || upper[i] === upper[i - 1]),
  )
  return groups ? named > 0 : named >= 3 && values.every((is, i) => !is || (second[i] ?? '').trim() !== '')
}

/** The two lines as one: a name of a group stands for the columns to its right that have none. */
export function joined(upper: Cells, lower: Cells): string[] {
  let group = ''
  return Array.from({ length: Math.max(upper.length, lower.length) }, (_, i) => {
    const own = (upper[i] ?? '').trim()
    const name = (lower[i] ?? '').trim()
    group = own || (name === '' ? '' : group)
    return [group, name].filter(Boolean).join(' ')
  })
}

/** Columns whose cells below are values, not texts, in all rows that fill them. */
function valued(rows: readonly Cells[], width: number): boolean[] {
  return Array.from({ length: width }, (_, i) => {
    const seen = rows
      .map((row) => classesOf(row)[i] ?? 'blank')
      .filter((name) => name !== 'blank' && name !== 'null-word')
    return seen.length > 0 && seen.filter((name) => !wordy(name)).length * 10 >= seen.length * 9
  })
}

function isUnits(record: Cells, rows: readonly Cells[]): boolean {
  const cells = record.filter((cell) => cell.trim() !== '')
  if (cells.length === 0 || rows.length === 0 || !cells.every(isUnit)) return false
  const values = valued(rows, record.length)
  // a row may begin with such letters, too: beside texts stand notes only
  if (record.some((cell, i) => cell.trim() !== '' && !values[i] && !isNote(cell))) return false
  return record.some((cell, i) => values[i] && cell.trim() !== '' && !/^[-–.]$/.test(cell.trim()))
}

const year = (cell: string): boolean => /^(19|20)[0-9]{2}$/.test(cell.trim())
/** What names a column of a table over time: a year, a day, a month, a quarter. */
const period = (cell: string): boolean =>
  year(cell) ||
  /^(19|20)[0-9]{2}[-/](0[1-9]|1[0-2]|Q[1-4])$|^(0[1-9]|1[0-2])\/(19|20)[0-9]{2}$/.test(cell.trim()) ||
  classOf(cell) === 'date'

/**
 * A record is a header where each field has a text, no two are the same, none is a number, a date or a time, and, where
 * all below it is text too, none of its fields comes again below in its column. Where columns below hold values, it may
 * have blanks, doubles, and years or days as names, whose columns then hold other things.
 */
function isHeader(names: Cells, below: readonly Cells[], strict = false): boolean {
  const own = classesOf(names)
  const width = lastFilled(names)
  const periods = names.map((cell) => period(cell))
  if (own.some((name, i) => !wordy(name) && name !== 'null-word' && !periods[i])) return false
  const values = valued(below, width)
  const clear = own.some((name, i) => isWord(name) && values[i])
  if (periods.some((is, i) => is && !isWord(own[i]!))) {
    // the cells below a year are no years
    const over = names.every(
      (cell, i) =>
        !periods[i] ||
        isWord(own[i]!) ||
        below.some((row) => (classesOf(row)[i] ?? 'blank') !== 'blank' && !period(row[i] ?? '')),
    )
    const texts = own.slice(0, width).filter(isWord).length
    return over && below.length > 0 && new Set(names.slice(0, width)).size === width && texts > 0
  }
  if (clear) return !below.some((row) => row.length > 1 && row.join('\n') === names.join('\n'))
  if (strict) return false
  const plain = names.slice(0, width).map((name) => name.trim())
  if (plain.includes('') || new Set(plain).size < plain.length) return false
  const allText = below.every((record) =>
    classesOf(record).every((name) => wordy(name) || name === 'null-word'),
  )
  if (!allText || below.length === 0) return true
  return !names.some((name, i) => below.some((record) => record[i] === name))
}

/** Fields of most rows, where they have more than the header: the header then lacks names. */
function acrossOf(rows: readonly Cells[], width: number): number {
  const lengths = new Map<number, number>()
  for (const { length } of rows) lengths.set(length, (lengths.get(length) ?? 0) + 1)
  const [length, count] = [...lengths].sort((a, b) => b[1] - a[1])[0] ?? [0, 0]
  return count * 10 >= rows.length * 9 ? Math.max(width, length) : width
}

/**
 * Names for as many columns as the rows have. Where the header is one short and every row is filled to its end, it is
 * the first that has no name, as tables with named rows are written; else the last ones have none.
 */
function padNames(names: Cells, across: number, rows: readonly Cells[]): string[] {
  if (names.length >= across) return [...names]
  const last = across - 1
  const byRow =
    names.length === last && rows.length > 0 && rows.every((row) => (row[last] ?? '').trim() !== '')
  return byRow ? ['', ...names] : [...names, ...Array.from({ length: across - names.length }, () => '')]
}

/** Records at the end that are no rows: sums by their first word, notes that fill one cell only, ruled lines. */
export function tailOf(rows: readonly Cells[], width: number, known: ReadonlySet<string>): number {
  if (width < 2) return 0
  let tail = 0
  while (tail < Math.min(5, rows.length - 1)) {
    const record = rows[rows.length - 1 - tail]!
    // as much of it as tells: a cell may be a book
    const first = (record.find((cell) => cell.trim() !== '')?.trim() ?? '').slice(0, 200)
    const note =
      lastFilled(record) < width &&
      (record.length === 1 || (width > 2 && filled(record) === 1)) &&
      classOf(first) === 'text' &&
      /\p{L}.*\s.*\p{L}|^[*(¹²†].*\p{L}/u.test(first)
    // the first of several rows that are called so is a row
    const above = rows.slice(0, rows.length - 1 - tail)
    const again = known.has(first) || above.some((row) => (row[0] ?? '').trim() === first)
    const sum = sums.test(first) && !again && first.split(/\s+/).length < 4
    if (!note && !sum && !isRule(record)) break
    tail++
  }
  return tail
}
