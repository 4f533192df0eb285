import { check } from './check'
import { log } from './log'
import { set } from './set'
import { sql } from './sql'
import { transfer } from './transfer'

/** Every kind of step. */
export const steps = { transfer, sql, set, check, log }
