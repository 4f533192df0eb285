import type { Fault } from '../fault'
import { documentReader, type ReadDocument } from '../document/read'
import { jobSchema, type Job } from './document'

export interface ParsedJob {
  /** Undefined where there are faults. */
  readonly job: Job | undefined
  readonly faults: readonly Fault[]
  readonly place: ReadDocument<Job>['place']
}

const read = documentReader(jobSchema)

/** Reads a job document; every mistake carries its line and column. Never throws. */
export function parseJob(text: string): ParsedJob {
  const { value, faults, place } = read(text)
  return { job: value, faults, place }
}
