import type { Finding } from '../types'
import { findingKinds } from './index'

/** Findings for who may not see the rows: those whose words hold values of rows say in general what is wrong. */
export const withoutValues = <F extends Pick<Finding, 'code' | 'message'>>(findings: readonly F[]): F[] =>
  findings.map((finding) =>
    findingKinds[finding.code].values
      ? {
          ...finding,
          message: `${findingKinds[finding.code].says}; who may run jobs here sees which`,
        }
      : finding,
  )
