import { check } from './check'
import { files } from './files'
import { job } from './job'
import { log } from './log'
import { notify } from './notify'
import { set } from './set'
import { sql } from './sql'
import { survey } from './survey'
import { transfer } from './transfer'

/** Every kind of step. */
export const steps = { transfer, sql, files, set, check, survey, job, notify, log }
