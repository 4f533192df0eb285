import type { Fault } from '../fault'
import { documentReader, type ReadDocument } from '../document/read'
import { allSteps, jobSchema, type Job } from './document'

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
  const steps = value?.parts.reduce((sum, part) => sum + allSteps(part).length, 0) ?? 0
  if (steps <= mostSteps) return { job: value, faults, place }
  const message = `a job of ${steps.toLocaleString('en')} steps; at most ${mostSteps.toLocaleString('en')} are worked with. A roster does the same for each of its rows`
  return {
    job: undefined,
    faults: [{ code: 'document', message, where: { path: 'parts', ...place('parts') } }],
    place,
  }
}

const mostSteps = 1000
