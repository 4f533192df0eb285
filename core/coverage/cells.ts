/**
 * What can be said of a row and a slice. `renewed` is loaded, and a later load of it failed; `before` was never loaded and
 * lies before anything of its row was; `expected` is over, and its start has not come yet; `nothing` is not asked for.
 */
export const cellStates = {
  loaded: 'L',
  renewed: 'E',
  failed: 'F',
  skipped: 'S',
  stopped: 'X',
  running: 'R',
  waiting: 'W',
  held: 'H',
  missing: 'M',
  before: 'B',
  expected: 'P',
  nothing: 'N',
} as const

export type CellState = keyof typeof cellStates

const byLetter = new Map(Object.entries(cellStates).map(([state, letter]) => [letter as string, state as CellState])) // prettier-ignore

/** The state that a letter stands for; one letter a cell keeps a hundred thousand of them small. */
export const cellState = (letter: string): CellState => byLetter.get(letter) ?? 'nothing'

/** States that somebody has to see to: what should be there is not. */
export const isGap = (state: CellState): boolean =>
  state === 'missing' || state === 'failed' || state === 'renewed' || state === 'stopped'

/** A half-open span of data time, as milliseconds since 1970. */
export interface Span {
  readonly from: number
  readonly to: number
}

/** What became of one row and slice. */
export interface Covered extends Span {
  /** Of the load that ended last. */
  readonly state: 'done' | 'failed' | 'skipped' | 'stopped'
  readonly loaded: boolean
  readonly rows: number
  readonly rejected: number
}

/** A load that is under way, or is going to be. */
export interface UnderWay extends Span {
  readonly state: 'running' | 'waiting' | 'held'
}

export interface RowHistory {
  readonly covered: readonly Covered[]
  readonly underWay: readonly UnderWay[]
  /** Where the first slice of the row begins that ever was loaded, also before what is looked at; undefined where none was. */
  readonly since: number | undefined
  /** The job loops over this row now. */
  readonly there: boolean
}

export interface Cells {
  /** A letter for each slice. */
  readonly letters: string
  /** Rows of each slice, 0 where it was never loaded. */
  readonly rows: number[]
  /** Places of the slices that rows were rejected of, with how many. */
  readonly rejected: [place: number, rows: number][]
  /** Slices of which what should be there is not. */
  readonly gaps: number
}

/** A slice that is shown. */
export interface Shown extends Span {
  /** The rule of now gives it; others are only what they were. */
  readonly rule: boolean
}

const inOrder = (a: Span, b: Span): number => a.from - b.from || a.to - b.to

/** Spans of a history that are not among others, each once. */
export function spansBeside(history: Iterable<Span>, known: readonly Span[]): Span[] {
  const seen = new Map<number, Set<number>>()
  const isNew = ({ from, to }: Span) => {
    const ends = seen.get(from)
    if (ends?.has(to)) return false
    if (ends) ends.add(to)
    else seen.set(from, new Set([to]))
    return true
  }
  known.forEach(isNew)
  const beside: Span[] = []
  for (const span of history) if (isNew(span)) beside.push(span)
  return beside
}

/**
 * The slices to show: those that the rule gives, and those that history has besides, which were cut by an earlier rule, in
 * their order.
 */
export const slicesToShow = <S extends Span>(rule: readonly S[], beside: readonly S[]): (S & Shown)[] =>
  [
    ...rule.map((slice) => ({ ...slice, rule: true })),
    ...beside.map((slice) => ({ ...slice, rule: false })),
  ].sort(inOrder)

/**
 * What can be said of one row, slice by slice.
 * @param slices as {@link slicesToShow} gives them, with every span of the row's history among them
 * @param due end of the newest slice that a start has come for; undefined where none has yet
 */
export function cellsOf(slices: readonly Shown[], { covered, underWay, since, there }: RowHistory, due: number | undefined): Cells {
  const was = matched(slices, covered)
  const moving = underWay.length === 0 ? [] : matched(slices, underWay)
  const last = covered.reduce((end, { to }) => Math.max(end, to), -Infinity)
  // an earlier rule may have loaded the time of a slice in pieces of its own
  const others = slices.flatMap((slice, place) => (!slice.rule && was[place]?.loaded ? [slice] : []))
  const rows: number[] = []
  const rejected: [number, number][] = []
  let letters = ''
  let gaps = 0
  slices.forEach((slice, place) => {
    const known = was[place]
    const state =
      moving[place]?.state ??
      (known ? whatBecame(known) : !slice.rule || (others.length > 0 && isFilled(slice, others)) ? 'nothing' : unloaded(slice, { since, there, last, due }))
    letters += cellStates[state]
    rows.push(known?.loaded ? known.rows : 0)
    if (known?.loaded && known.rejected > 0) rejected.push([place, known.rejected])
    if (isGap(state)) gaps++
  })
  return { letters, rows, rejected, gaps }
} // prettier-ignore

/** Of each slice what is of it, by its place. */
function matched<T extends Span>(slices: readonly Span[], all: readonly T[]): (T | undefined)[] {
  const found = new Array<T | undefined>(slices.length)
  let place = 0
  for (const one of isSorted(all) ? all : [...all].sort(inOrder)) {
    while (place < slices.length && inOrder(slices[place]!, one) < 0) place++
    if (place < slices.length && inOrder(slices[place]!, one) === 0) found[place] = one
  }
  return found
}

const isSorted = (all: readonly Span[]): boolean => all.every((one, at) => at === 0 || inOrder(all[at - 1]!, one) <= 0) // prettier-ignore

const whatBecame = ({ state, loaded }: Covered): CellState =>
  state === 'failed'
    ? loaded
      ? 'renewed'
      : 'failed'
    : loaded
      ? 'loaded'
      : state === 'done'
        ? 'loaded'
        : state

/** What is said of a slice that no load ended for. */
function unloaded(
  slice: Span,
  row: { since: number | undefined; there: boolean; last: number; due: number | undefined },
): CellState {
  // a row that is gone is missed only between what was loaded of it
  if (!row.there && slice.from >= row.last) return 'nothing'
  if (row.due === undefined || slice.to > row.due) return 'expected'
  // one that is new is asked for from its next start on
  if (row.since === undefined) return slice.to === row.due ? 'missing' : 'before'
  return slice.from < row.since ? 'before' : 'missing'
}

/** Do some spans fill another without a hole? */
export function isFilled(whole: Span, parts: readonly Span[]): boolean {
  let at = whole.from
  for (const part of [...parts].sort((a, b) => a.from - b.from)) {
    if (part.from > at) break
    at = Math.max(at, part.to)
    if (at >= whole.to) return true
  }
  return at >= whole.to
}
