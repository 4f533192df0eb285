import type { StepSpec } from '../../core/job/steps'
import { checkStep, failWhere } from '../checks'
import type { CheckedAlone } from '../checks/definition'
import { openPostgres } from '../connectors/connections'
import { qualified, tableOf } from '../connectors/postgres/tables'
import { readingSql } from '../connectors/postgres/session'
import { cancelOn } from '../context/cancelling'
import { stopped } from '../context/step'
import type { StepRunner } from './definition'

export const check: StepRunner<StepSpec<'check'>> = {
  run: async (context, { that, on_failure }) => {
    const { engine, environment, text, aside, outcome, signal, zone } = context
    const on = text('on').text
    const table = tableOf(text('table'))
    const pool = await openPostgres(engine, on, environment)
    const place = aside ? await aside.database(pool, on).reading(table) : table
    const client = await pool.connect()
    const letGo = cancelOn(signal, pool, client)
    try {
      if (signal.aborted) throw stopped()
      // a check changes nothing, and sees one state of the database
      await client.query(`begin isolation level repeatable read read only; ${readingSql(zone)}`)
      const checked: Omit<CheckedAlone, 'text'> = {
        client,
        table: qualified(place),
        said: `${table.schema}.${table.name}`,
        outcome,
        on,
        context,
        own: async (query) => (aside ? await aside.database(pool, on).query(query) : query),
      }
      const records = await checkStep(that, (at, kind) => ({
        ...checked,
        text: (path) => text(`that.${at}.${kind}.${path}`),
      }))
      for (const record of records)
        outcome.log.push(
          `${record.holds ? 'holds' : 'does not hold'}: ${record.text}${record.holds ? '' : `: ${record.why}`}${record.note === undefined ? '' : ` (${record.note})`}`,
        )
      if (on_failure === 'stop') failWhere(records)
    } finally {
      letGo()
      await client.query('rollback').catch(() => {})
      client.release()
    }
    return outcome
  },
} // prettier-ignore
