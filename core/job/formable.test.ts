import { parse, stringify } from 'yaml'
import { describe, expect, it } from 'vitest'
import { formable } from './formable'

const text = `mattock: job/1
name: readings
title: Readings
parameters: {region: {type: text}}
slices: {every: P1D, zone: UTC, from: "2026-01-01"}
starts:
  - {id: night, clock: {cron: 30 5 * * *}}
parts:
  - once:
      - {id: empty, sql: {on: warehouse, text: a}}
  - each: {roster: {control: feeds}}
    do:
      - {id: look, log: {text: done}}
`

describe('a text that forms go on with', () => {
  it('is one with mistakes in its values, as each is while it is typed', () => {
    for (const [was, half] of [
      ['30 5 * * *', '30 5 * *'],
      ['P1D', 'P'],
      ['id: look', 'id: ""'],
      ['title: Readings\n', ''],
      ['{on: warehouse, text: a}', '{}'],
      ['control: feeds', 'contr: 7'],
    ] as const)
      expect(formable(text.replace(was, half)), half).toBe(true)
  })
  it('is none that is no YAML, or has something else where parts, steps and starts are', () => {
    for (const torn of ['', '[]', 'parts: [', `${text}\n*nobody`, 'a: &a [*a', `${text}parts: []\n`])
      expect(formable(torn), torn).toBe(false)
    for (const [key, values] of [
      [
        'parts',
        [
          null,
          5,
          'x',
          {},
          [5],
          [[]],
          [{ once: 'x' }],
          [{ do: [null] }],
          [{ each: 3 }],
          [{ each: { roster: [] } }],
        ],
      ],
      ['starts', [5, 'x', {}, [null], ['a']]],
      ['parameters', [5, [], { a: null }, { a: 'x' }]],
      ['slices', [5, 'x', []]],
    ] as const)
      // prettier-ignore
      for (const value of values)
        expect(formable(stringify({ ...(parse(text) as object), [key]: value })), `${key} ${JSON.stringify(value)}`).toBe(
          false,
        )
  })
})
