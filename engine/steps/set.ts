import type { StepSpec } from '../../core/job/steps'
import { valueText } from '../../core/value'
import { openPostgres } from '../connectors/connections'
import { queryRows } from '../connectors/postgres/queryRows'
import { stepFault } from '../context/step'
import type { StepRunner } from './definition'

export const set: StepRunner<StepSpec<'set'>> = {
  run: async ({ engine, environment, zone, text, aside, outcome }) => {
    const on = text('on').text
    const query = text('query')
    if (query.kind !== 'sql') throw new Error('SQL was expected')
    const pool = await openPostgres(engine, on, environment)
    const own = aside ? ((await aside.database(pool, on).statement(query.text)) ?? query.text) : query.text
    const begun = performance.now()
    const { columns, rows } = await queryRows(pool, own, query.values, zone, 2)
    outcome.statements.push({
      on,
      text: own,
      ...(query.values.length > 0 ? { values: query.values } : {}),
      rows: rows.length,
      milliseconds: Math.round((performance.now() - begun) * 10) / 10,
    })
    const [row, second] = rows
    if (!row || second)
      stepFault(
        'not-one-row',
        `the query gives ${row ? 'several rows' : 'no row'}, and one is meant`,
        'mend the query: an aggregate gives one row, limit 1 the first',
      )
    outcome.value = { row, types: Object.fromEntries(columns.map(({ name, type }) => [name, type])) }
    outcome.log.push(
      columns
        .map(({ name }) => `${name} = ${row[name] === null ? 'null' : valueText(row[name] ?? null)}`)
        .join(', '),
    )
    return outcome
  },
}
