import { allSteps, stepPath, type Job } from '../job/document'
import type { Finding } from './types'

/**
 * Where in the job's document a finding points, such as `parts.0.do.1.transfer.into.table`; undefined for one that
 * points at no place of it.
 */
export function documentPath(job: Job, { where }: Pick<Finding, 'where'>): string | undefined {
  const { path, step } = where
  if (path !== undefined && /^(parts|parameters|slices)\b/.test(path)) return path
  if (step !== undefined) {
    for (const [p, part] of job.parts.entries()) {
      if (allSteps(part).some(({ id }) => id === step))
        return [stepPath(job, p, step), path].filter(Boolean).join('.')
    }
  }
  return where.part === undefined ? undefined : `parts.${where.part}`
}
