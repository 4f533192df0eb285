/** A load that a worker took (mattock.start_load). */
export interface Started {
  readonly load_id: number
  readonly attempt: number
  readonly run_id: number
  readonly plan_id: number
  readonly number: number
  readonly part: number
  /** Workers that ended while running it. */
  readonly deaths: number
  /** The load of an earlier run that it repeats. */
  readonly repeats: number | null
}
