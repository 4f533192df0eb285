/**
 * Signs of units that stand below a name in a table of measurements: SI with its prefixes, those accepted beside it
 * (BIPM, The International System of Units, 9th edition, tables 2, 4, 7 and 8), currencies by ISO 4217 and their signs.
 */
const prefix = '(da|[YZEPTGMkhdcmµunpfazy])?'
const symbol = `(${prefix}(m|g|s|A|K|mol|cd|Hz|N|Pa|J|W|C|F|V|S|Ω|Ohm|Wb|T|H|lm|lx|Bq|Gy|Sv|kat|L|l|bar|Wh|VA|var|eV|t|B|bit)|min|h|d|a|ha|°|°C|°F|°K|grd|ppm|ppb|%|‰|psu|NTU|FNU|pH|mWS|mmHg|atm|rpm|U|pcs|Stk|Stück|Tage|days?|hours?|years?|hrs?|sec|date|time|[A-Z]{3}|[€$£¥₹₽₩¢])`
const power = '([²³¹⁻⁰-⁹]+|\\^?-?[1-9])?'
const unit = new RegExp(`^${symbol}${power}([ ·*./]?(per )?${symbol}${power})*$`)

/** Is a cell a note in brackets, or the sign of none, as they stand between units? */
export const isNote = (cell: string): boolean => /^([[(].{1,16}[\])]|[-–.])$/.test(cell.trim())

/** Is a cell a unit, or a note as they stand between units? */
export function isUnit(cell: string): boolean {
  const text = cell.trim()
  if (isNote(cell) || /^[ymdhs:/. -]{4,20}$/i.test(text)) return true
  return text.length <= 14 && unit.test(text)
}
