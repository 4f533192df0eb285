import { stepOf, type Step, type StepKind, type StepSpec } from '../../core/job/steps'
import { check } from './check'
import type { StepRunner } from './definition'
import { log } from './log'
import { sql } from './sql'
import { transfer } from './transfer'

/** Every kind of step: how it is done. */
const runners: { readonly [K in StepKind]: StepRunner<StepSpec<K>> } = { transfer, sql, check, log }

/** How a step is done, and what it is given. */
export function runnerOf(step: Step): { runner: StepRunner<StepSpec>; spec: StepSpec; kind: StepKind } {
  const { kind, spec } = stepOf(step)
  return { runner: runners[kind] as StepRunner<StepSpec>, spec, kind }
}
