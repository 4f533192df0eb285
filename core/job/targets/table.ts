import { z } from 'zod'
import { columnName, columnNames, field, template } from '../../field/field'
import { writeModes, writeOf, writes, type WriteMode } from '../writes'
import { defineTarget } from './definition'

export const table = defineTarget({
  words: 'a table',
  place: 'connection',
  what: 'table',
  shape: {
    connection: template({ as: 'text', names: 'postgres', column: 'into' })
      .optional()
      .describe('a connection of kind database'),
    table: template({ as: 'table', names: 'table', column: 'target' })
      .optional()
      .describe('a dot in the text parts schema and table; a dot in a value does not'),
    write: field(z.enum(writeModes), {
      words: Object.fromEntries(writeModes.map((mode) => [mode, writes[mode].words])),
    })
      .optional()
      .describe('how rows go into the table'),
    key: columnNames.optional().describe('for upsert: the columns that tell rows apart'),
    slice_by: field(columnName, { rare: true, label: 'slice by', usual: 'the time column' })
      .optional()
      .describe('for replace-slice: the time column that places a row in a slice'),
    allow_empty: field(z.boolean(), { rare: true, label: 'no rows may replace rows' })
      .default(false)
      .describe(
        'for replace-all and replace-slice: a source without rows may delete those of the table or slice; otherwise the load fails',
      ),
    deletes_at_most: field(z.union([z.number().min(1), z.literal('any')]), {
      rare: true,
      label: 'deletes at most',
      usual: '3',
    })
      .default(3)
      .describe(
        'for replace-slice: how many times the usual rows of a slice the load may delete before it fails, or any',
      ),
    repeats: field(z.enum(['fail', 'keep-last']), {
      rare: true,
      label: 'same key twice',
      words: { fail: 'fails the load', 'keep-last': 'keeps the last' },
    })
      .default('fail')
      .describe(
        'rows of one load that share the key: fail, or keep the last and count the others as filtered',
      ),
    unknown_columns: field(z.enum(['fail', 'ignore', 'add']), {
      rare: true,
      label: 'new columns',
      words: { fail: 'fail the load', ignore: 'are ignored', add: 'are added' },
    })
      .default('fail')
      .describe('columns of the source that the table lacks'),
    missing_columns: field(z.enum(['fail', 'ignore']), {
      rare: true,
      label: 'lacking columns',
      words: { fail: 'fail the load', ignore: 'are left to their defaults' },
    })
      .default('ignore')
      .describe('columns of the table that the source lacks: fail, or leave them to their defaults'),
  },
  judge: ({ write, ...given }) => {
    if (write === undefined) return [{ message: `write is one of ${writeModes.join(', ')}`, key: 'write' }]
    return writeOf(write as WriteMode)
      .needs.filter((key) => given[key] === undefined)
      .map((key) => ({ message: `${String(write)} needs ${key}`, key }))
  },
  fresh: ({ database }) => ({ connection: database, table: 'public.new_table', write: 'append' }),
})
