import type { CheckSpec } from '../../core/job/checks'
import { sameNumber } from '../../core/value'
import { openPostgres } from '../connectors/connections'
import { readingSql } from '../connectors/postgres/session'
import { cancelOn } from '../context/cancelling'
import { holds, type Checker } from './definition'
import { oneRow, type WrittenValue } from './oneRow'

export const equals: Checker<CheckSpec<'equals'>> = {
  async alone({ client, outcome, on, text, own, context }) {
    const [here, there] = [text('query'), text('to')]
    if (here.kind !== 'sql' || there.kind !== 'sql') throw new Error('SQL was expected')
    const source = text('on').text
    const mine = await oneRow(client, outcome, on, await own(here.text), here.values)
    const pool = await openPostgres(context.engine, source, context.environment)
    const theirs = await pool.connect()
    const letGo = cancelOn(context.signal, pool, theirs)
    try {
      // both write their values by one clock
      await theirs.query(`begin read only; ${readingSql(context.zone)}`)
      const given = await oneRow(theirs, outcome, source, there.text, there.values)
      if (mine.length !== given.length)
        return {
          why: `the query here gives ${mine.length} values, the one on ${source} ${given.length}`,
          advice: 'let both give the same values in the same order',
        }
      const other = mine.flatMap((value, i) => (isSame(value, given[i]!) ? [] : [said(value, given[i]!, source)]))
      return other.length === 0
        ? holds
        : { why: other.join('; '), advice: 'look what is missing here, or came twice' }
    } finally {
      letGo()
      await theirs.query('rollback').catch(() => {})
      theirs.release()
    }
  },
} // prettier-ignore

const isSame = (a: WrittenValue, b: WrittenValue): boolean =>
  a.text === null || b.text === null
    ? a.text === b.text
    : a.numeric && b.numeric
      ? sameNumber(a.text, b.text)
      : a.text === b.text

const said = (a: WrittenValue, b: WrittenValue, source: string): string =>
  `${a.name} is ${a.text ?? 'empty'} here and ${b.text ?? 'empty'} on ${source}`
