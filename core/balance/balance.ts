/** What can become of a row that was read; `merged` gave way to another of its key. */
export const outcomes = ['written', 'unchanged', 'rejected', 'filtered', 'merged'] as const
/** Every count of rows, in the order in which they are kept. */
export const countNames = ['read', ...outcomes] as const

/** Rows by what became of them. */
export type Counts = Readonly<Record<(typeof countNames)[number], number>>

const eachCount = (count: (name: (typeof countNames)[number]) => number): Counts =>
  Object.fromEntries(countNames.map((name) => [name, count(name)])) as Counts

export const noRows: Counts = eachCount(() => 0)

export const addCounts = (a: Counts, b: Counts): Counts => eachCount((name) => a[name] + b[name])

/** read − (written + unchanged + rejected + filtered + merged): 0 where every row is accounted for. */
export const difference = (counts: Counts): number =>
  counts.read - outcomes.reduce((sum, name) => sum + counts[name], 0)

export const balances = (counts: Counts): boolean => difference(counts) === 0
