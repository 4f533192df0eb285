import type { KeptKind } from '../../core/keeping/kinds'
import type { Keeper } from './definition'
import { plans } from './plans'
import { rejects } from './rejects'
import { rowsOf } from './rowsOf'
import { runs } from './runs'
import { tries } from './tries'

/** Every kind of record that is taken away after a time. Rejects go before their runs do. */
export const keepers: { readonly [K in KeptKind]: Keeper } = {
  rejects,
  runs,
  plans,
  tries,
  surveys: rowsOf({
    table: 'survey',
    key: 'id',
    at: 'coalesce(t.ended_at, t.created_at)',
    goes: `t.state not in ('waiting', 'running')`,
    tables: ['survey_proposal'],
  }),
  // several columns are its key
  heads: rowsOf({ table: 'file_head', key: 'ctid', at: 't.looked_at' }),
  touches: rowsOf({ table: 'touch', key: 'id', at: 't.at' }),
  // the newest of each job says which slices were taken
  occasions: rowsOf({
    table: 'occasion',
    key: 'id',
    at: 't.at',
    goes: `t.state not in ('due', 'paused') and exists (select 1 from mattock.occasion n where n.environment = t.environment and n.job = t.job and n.state <> 'skipped' and n.at > t.at)`,
  }),
  matters: rowsOf({ table: 'matter_span', key: 'id', at: 't.until', goes: 't.until is not null' }),
  messages: rowsOf({ table: 'alert_message', key: 'id', at: 't.at', goes: `t.state <> 'waiting'` }),
  changes: rowsOf({ table: 'control_change', key: 'id', at: 't.at' }),
}
