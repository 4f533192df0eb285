/**
 * Places in the protocol of loads at which a test makes a fault on purpose. They are compiled out of what is built to
 * be used (`build.mjs` sets MATTOCK_FAULTS to false); only a build for tests has them.
 */
export type FaultPoint =
  /** The load is this worker's, by the store's word; the worker has not begun it. */
  | 'load-taken'
  /** The worker has begun it. */
  | 'load-started'
  /** Rows begin to flow. */
  | 'rows-flowing'
  /** All is in the transaction, the marker too; not committed. */
  | 'before-commit'
  /** Committed in the target; Mattock's own record does not have it. */
  | 'committed'
  /** A file is whole under its temporary name. */
  | 'file-written'
  /** A file is under its true name; not recorded. */
  | 'file-named'
  /** What a step will take away is kept; nothing is gone. */
  | 'take-away'
  /** A file was taken away; not recorded. */
  | 'file-taken'
  /** A step is recorded. */
  | 'step-recorded'
  /** A step began a run, and is recorded as waiting for it; the load keeps its place. */
  | 'run-begun'
  /** All steps are recorded; the load has not ended. */
  | 'before-finish'
  /** The load has ended, and its place was given another. */
  | 'finished'
