import { stepOf, type Step, type StepKind, type StepSpec } from '../../core/job/steps'
import type { StepRunner } from './definition'
import { runners } from './registry'

/** How a step is done, and what it is given. */
export function runnerOf(step: Step): { runner: StepRunner<StepSpec>; spec: StepSpec; kind: StepKind } {
  const { kind, spec } = stepOf(step)
  return { runner: runners[kind] as StepRunner<StepSpec>, spec, kind }
}
