import type { Engine } from '../context/engine'

/** How much there is of a kind. */
export interface Amount {
  readonly count: number
  /** ISO 8601 instant of the oldest; null where there is none. */
  readonly oldest: string | null
  /** Of the store and of the data folder. */
  readonly bytes: number
  /** How many would go now. */
  readonly goes: number
}

/** A kind of record that is taken away after a time; core/keeping/ has its words and its days. */
export interface Keeper {
  /** How much there is, and how much of it is older than an instant; none goes where it is null. */
  readonly amount: (engine: Engine, before: string | null) => Promise<Amount>
  /** Takes away a batch of what is older than an instant; returns how many, 0 when nothing is left. */
  readonly takeAway: (engine: Engine, before: string) => Promise<number>
}
