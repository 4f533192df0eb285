import { columnNames } from '../../field/field'
import { defineCheck } from './definition'

export const notNull = defineCheck({
  words: 'never empty',
  schema: columnNames.describe('columns that have a value in every row'),
  text: (columns) => `${columns.join(', ')} never empty`,
  fresh: ['id'],
})
