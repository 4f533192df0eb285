/** Rows by what became of them. */
export interface Counts {
  readonly read: number
  readonly written: number
  readonly unchanged: number
  readonly rejected: number
  readonly filtered: number
}

export const noRows: Counts = { read: 0, written: 0, unchanged: 0, rejected: 0, filtered: 0 }

export function addCounts(a: Counts, b: Counts): Counts {
  return {
    read: a.read + b.read,
    written: a.written + b.written,
    unchanged: a.unchanged + b.unchanged,
    rejected: a.rejected + b.rejected,
    filtered: a.filtered + b.filtered,
  }
}

/** read − (written + unchanged + rejected + filtered): 0 where every row is accounted for. */
export function difference({ read, written, unchanged, rejected, filtered }: Counts): number {
  return read - (written + unchanged + rejected + filtered)
}

export const balances = (counts: Counts): boolean => difference(counts) === 0

/** A message with its values taken out, so that failures of one cause read the same. */
export function causeOf(message: string): string {
  return message
    .replace(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|“[^”]*”/g, '…')
    .replace(/\b[\w./-]*\.(csv|json|parquet|xlsx|gz)\b/gi, '…')
    .replace(/\b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?)?/g, '…')
    .replace(/\d[\d,.]*/g, '…')
    .replace(/(…[\s,]*){2,}/g, '… ')
    .trim()
}
