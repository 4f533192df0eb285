import type { StepKind, StepSpec } from '../../core/job/steps'
import { check } from './check'
import type { StepRunner } from './definition'
import { files } from './files'
import { job } from './job'
import { log } from './log'
import { notify } from './notify'
import { set } from './set'
import { sql } from './sql'
import { survey } from './survey'
import { transfer } from './transfer'

/** Every kind of step: how it is done. */
export const runners: { readonly [K in StepKind]: StepRunner<StepSpec<K>> } = {
  transfer,
  sql,
  files,
  set,
  check,
  survey,
  job,
  notify,
  log,
}
