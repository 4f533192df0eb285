import type { Keeper } from './definition'
import { rowsOf } from './rowsOf'

/** Tries whose scratch schemas and files are gone already; those go a day after the try's end (engine/trying). */
export const tries: Keeper = rowsOf({
  table: 'try',
  key: 'id',
  at: 't.created_at',
  goes: 't.cleared_at is not null',
  tables: ['try_step'],
})
