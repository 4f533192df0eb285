/** What kind of thing needs a decision, and what it is called where somebody asks to be told of it. */
export const decisionWords = {
  failed: 'loads failed',
  check: 'a check does not hold',
  unbalanced: 'loads do not balance',
  connection: 'a connection is away',
  'not-run': 'a slice is over and was not loaded',
  drift: 'a source is not as it is known',
  'not-begun': 'a run could not begin',
  late: 'a run will likely be late',
  overdue: 'a run is late',
  stuck: 'loads wait for what may never come',
  silence: 'rows far from usual',
  file: 'files are late or missing',
} as const
export type DecisionKind = keyof typeof decisionWords
export const decisionKinds = Object.keys(decisionWords) as [DecisionKind, ...DecisionKind[]]
