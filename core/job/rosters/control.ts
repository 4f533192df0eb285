import { z } from 'zod'
import { field } from '../../field/field'
import { defineRoster } from './definition'

export const control = defineRoster({
  words: 'rows of a control table',
  schema: field(z.string(), { names: 'control', label: 'table' }).describe('name of a control table'),
  text: (name) => name,
  fresh: 'a_control_table',
  texts: () => [],
  source: (name) => ({ name }),
})
