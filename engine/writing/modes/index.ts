import type { WriteMode } from '../../../core/job/writes'
import { append } from './append'
import type { Mode } from './definition'
import { replaceAll } from './replaceAll'
import { replaceSlice } from './replaceSlice'
import { upsert } from './upsert'

/** Every way of putting staged rows into a table. */
export const modes: Readonly<Record<WriteMode, Mode>> = {
  append,
  'replace-all': replaceAll,
  'replace-slice': replaceSlice,
  upsert,
}
