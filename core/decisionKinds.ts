/** What kind of thing needs a decision. */
export const decisionKinds = ['failed', 'unbalanced', 'connection', 'not-run', 'drift', 'not-begun', 'late', 'stuck', 'silence', 'file'] as const // prettier-ignore
export type DecisionKind = (typeof decisionKinds)[number]
