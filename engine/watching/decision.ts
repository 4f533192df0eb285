import type { DecisionKind } from '../../core/decisionKinds'

/** Something that needs a decision. */
export interface Decision {
  readonly kind: DecisionKind
  /** What makes it this one and no other, whatever its numbers are at the moment: what people did about it is kept by this. */
  readonly key: string
  /** What lies behind it, where several share it: whoever is told of one has been told of all. The key where it is left out. */
  readonly cause?: string
  readonly title: string
  readonly text: string
  readonly count: number
  readonly run: number | null
  /** All runs that it is about, the newest first, where there are several. */
  readonly runs?: readonly number[]
  /** The one load that it is about. */
  readonly load?: number
  readonly job: string | null
  readonly connection: string | null
  /** The plan that says why it could not begin. */
  readonly plan?: number | null
  readonly latest: string
}
