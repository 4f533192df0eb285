import { checkText } from '../../core/job/checks'
import type { StepSpec } from '../../core/job/steps'
import { checkTable } from '../checks'
import { openPostgres } from '../connectors/connections'
import { qualified, tableOf } from '../connectors/postgres/tables'
import type { StepRunner } from './definition'

export const check: StepRunner<StepSpec<'check'>> = {
  run: async ({ engine, environment, text, aside, outcome }, { that }) => {
    const on = text('on').text
    const table = tableOf(text('table'))
    const pool = await openPostgres(engine, on, environment)
    const place = aside ? await aside.database(pool, on).reading(table) : table
    const client = await pool.connect()
    try {
      for (const one of that) {
        await checkTable(client, qualified(place), `${table.schema}.${table.name}`, one, outcome, on)
        outcome.log.push(`holds: ${checkText(one)}`)
      }
    } finally {
      client.release()
    }
    return outcome
  },
}
