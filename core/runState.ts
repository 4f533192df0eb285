export const runStates = [
  'waiting',
  'ready',
  'running',
  'done',
  'failed',
  'held',
  'skipped',
  'stopped',
] as const

/** What a run, a load or a step of it is in. */
export type RunState = (typeof runStates)[number]
