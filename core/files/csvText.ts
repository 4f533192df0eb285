/** A field of CSV (RFC 4180). What goes out comes in again as it was: nothing is put before a text for a spreadsheet's sake. */
export function csvField(value: unknown): string {
  const text = value == null ? '' : String(value)
  return /[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text
}

export const csvLine = (fields: readonly unknown[]): string => `${fields.map(csvField).join(',')}\r\n`
