/** A field of CSV (RFC 4180). What goes out comes in again as it was: nothing is put before a text for a spreadsheet's sake. */
export function csvField(value: unknown): string {
  const text = value == null ? '' : String(value)
  return /[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text
}

export const csvLine = (fields: readonly unknown[]): string => `${fields.map(csvField).join(',')}\r\n`

/**
 * A line of CSV that people open in a program for sheets, and that is not read in again: a text that such a program would
 * take for a formula has an apostrophe before it (OWASP, "CSV Injection"); numbers are as they are.
 */
export const csvSheetLine = (fields: readonly unknown[]): string => csvLine(fields.map(asText))

const asText = (value: unknown): unknown =>
  typeof value === 'string' && /^[=+\-@\t\r]/.test(value) && !/^[+-]?\d+([.,]\d+)?$/.test(value)
    ? `'${value}`
    : value
