import { z } from 'zod'
import { typedTable } from '../../roster/typed'
import type { Row } from '../../value'
import { scalar } from '../../field/field'
import { defineRoster } from './definition'

export const rows = defineRoster({
  words: 'rows typed in',
  schema: z.array(z.record(z.string(), scalar)).describe('rows typed in'),
  text: (list) => `${list.length} ${list.length === 1 ? 'row' : 'rows'} typed in`,
  fresh: [{ name: 'first' }],
  texts: () => [],
  table: (list) => typedTable(list as Row[]),
})
