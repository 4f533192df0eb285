import { z } from 'zod'
import { template } from '../../field/field'
import { defineStep } from './definition'

export const sql = defineStep({
  does: 'statements on a database',
  tells: 'tables',
  firstId: 'statement',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'postgres' }).describe('a connection of kind database'),
      text: template({ as: 'sql', runsOn: 'on', label: 'SQL', column: 'statement', lines: 6 }).describe(
        'one statement or several; expressions in them are bound values',
      ),
    })
    .describe('statements on a database, in one transaction'),
  fresh: ({ database }) => `on: ${database}\ntext: select 1`,
  tables: (text, statements) => {
    const on = text('on')
    const statement = text('text')
    if (on?.kind !== 'text' || statement?.kind !== 'sql') return []
    const fact = statements.get(statement.text)
    if (!fact) return []
    const touch = (does: 'read' | 'write' | 'empty') => (table: string) => ({
      connection: on.text,
      table,
      does,
    })
    return [
      ...fact.reads.map(touch('read')),
      ...fact.writes.map(touch('write')),
      ...fact.empties.map(touch('empty')),
    ]
  },
})
