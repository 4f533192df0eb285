import { activeSteps, type Job } from './document'
import { stepDefinition, stepOf } from './steps'

/** Does a job read files for its slices? */
export const expectsFiles = (job: Job): boolean =>
  job.slices !== undefined &&
  job.parts.some(
    (part) =>
      part.each?.slices &&
      activeSteps(part).some((step) => {
        const { kind, spec } = stepOf(step)
        return stepDefinition(kind).takesFiles?.(spec) !== undefined
      }),
  )
