import type { Facts } from './types'

/** Facts of which nothing was looked up but what is given: the rules that need the others are silent. */
export const noFacts = (given: Partial<Facts> = {}): Facts => ({
  connections: {},
  files: new Map(),
  loaded: new Map(),
  sources: new Map(),
  shapes: new Map(),
  history: new Map(),
  workers: 1,
  tables: new Map(),
  statements: new Map(),
  before: null,
  ...given,
})
