import { z } from 'zod'
import { resolveText } from '../../roster/context'
import { rangeTable } from '../../roster/range'
import { columnName, field } from '../../field/field'
import { defineRoster } from './definition'

const bound = z.union([z.number(), z.string()])

export const range = defineRoster({
  words: 'a range, both ends included',
  schema: z
    .strictObject({
      as: field(columnName, { label: 'column' }).default('value').describe('name of its column'),
      from: bound.describe('the first: a number, or a date'),
      to: bound.describe('the last, included'),
      step: bound.default(1).describe('a number, or an ISO 8601 duration'),
    })
    .describe('numbers or dates, both ends included'),
  text: ({ from, to }) => `${from} to ${to}, both included`,
  fresh: { as: 'year', from: 2015, to: 2025 },
  texts: ({ from, to, step }) => [from, to, step],
  table: ({ as, ...ends }, context) => {
    const end = (name: 'from' | 'to' | 'step') => {
      const value = ends[name]
      return typeof value === 'string' && value.includes('{')
        ? resolveText(value, 'text', `range.${name}`, context).text
        : value
    }
    return rangeTable({ as, from: end('from'), to: end('to'), step: end('step') })
  },
  note: ({ from, to }, rows) =>
    `the range ${[from, to].some((end) => String(end).includes('{')) ? '' : `${from} to ${to} `}is ${rows.toLocaleString('en')} values, both ends included`,
})
