/** A field of CSV (RFC 4180). One that a spreadsheet would take for a formula is kept from it by a quote mark before it. */
export function csvField(value: unknown): string {
  const text = value == null ? '' : String(value)
  const plain = /^[=+@\t\r-]/.test(text) && typeof value === 'string' ? `'${text}` : text
  return /[",\r\n]/.test(plain) ? `"${plain.replace(/"/g, '""')}"` : plain
}

export const csvLine = (fields: readonly unknown[]): string => `${fields.map(csvField).join(',')}\r\n`
