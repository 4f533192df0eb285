import { columnNames } from '../../field/field'
import { defineCheck } from './definition'

export const unique = defineCheck({
  words: 'one row per',
  schema: columnNames.describe('columns of which no two rows have the same values'),
  text: (columns) => `one row per ${columns.join(', ')}`,
  fresh: ['id'],
})
