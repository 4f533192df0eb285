/** A load that a worker took (mattock.start_load). */
export interface Started {
  readonly load_id: number
  readonly attempt: number
  readonly run_id: number
  readonly plan_id: number
  readonly number: number
  readonly part: number
}
