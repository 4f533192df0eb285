/** A kind of record that Mattock makes and, after a time, takes away. */
export interface Kept {
  readonly title: string
  /** What goes with it, in words. */
  readonly says: string
  /** Days; null: for ever. */
  readonly days: number | null
  /** The fewest days that may be set. */
  readonly fewest: number
}

/** What is kept how long, by kind, where nobody says otherwise. The engine has the other half. */
export const kept = {
  runs: {
    title: 'Runs',
    says: 'their loads, rejects and plans; the newest of each job stays',
    days: 400,
    fewest: 7,
  },
  plans: {
    title: 'Plans without a run',
    says: 'looked at, and never started',
    days: 7,
    fewest: 1,
  },
  rejects: {
    title: 'Rejects',
    says: 'their files; counts and reasons stay with the run',
    days: 90,
    fewest: 1,
  },
  tries: { title: 'Tries', says: 'what they showed', days: 7, fewest: 1 },
  surveys: {
    title: 'Surveys',
    says: 'what they proposed; the datasets stay in the catalog',
    days: 180,
    fewest: 1,
  },
  heads: {
    title: 'Beginnings of files',
    says: 'what plans saw of them; a plan looks again where it is asked',
    days: 90,
    fewest: 1,
  },
  touches: {
    title: 'Who read and wrote what',
    says: 'rows a day of each dataset, and the jobs that use it',
    days: 400,
    fewest: 7,
  },
  occasions: {
    title: 'Decisions about starts',
    says: 'what began, what was left out, and why',
    days: 400,
    fewest: 7,
  },
  matters: {
    title: 'What needed a decision',
    says: 'from when to when each thing stood on the Morning sheet; rules are played over it',
    days: 400,
    fewest: 60,
  },
  messages: {
    title: 'Messages of alerts',
    says: 'what was sent to whom, and whether it was taken',
    days: 400,
    fewest: 7,
  },
  changes: {
    title: 'Changes of control tables',
    says: 'who changed which row, and what it was before',
    days: null,
    fewest: 30,
  },
} as const satisfies Record<string, Kept>

export type KeptKind = keyof typeof kept
export const keptKinds = Object.keys(kept) as KeptKind[]
