import { describe, expect, it } from 'vitest'
import { jobJsonSchema } from './document'
import { parseJob } from './parse'

const good = `mattock: job/1
name: copy
title: Copy
parts:
  - each: {roster: {rows: [{t: a}]}}
    do:
      - id: copy
        transfer:
          from: {connection: a, table: "{row.t}"}
          into: {connection: b, table: "{row.t}", write: append}
`

const faultsOf = (text: string) =>
  parseJob(text).faults.map(({ message, where }) => `${where.line}: ${message}`)

describe('job documents', () => {
  it('reads a good one, with its defaults', () => {
    const { job, faults } = parseJob(good)
    expect(faults).toEqual([])
    expect(job?.parts[0]?.each?.at_once).toBe(4)
  })
  it.each([
    [
      'a mistyped key',
      good.replace('transfer:', 'trasfer:'),
      '8: nothing here is called "trasfer"; did you mean "transfer"?',
    ],
    [
      'a key that stands elsewhere',
      good.replace('transfer:', 'path: x\n        transfer:'),
      '8: nothing here is called "path"; what may stand here: id, title,',
    ],
    ['a missing title', good.replace('title: Copy\n', ''), '1: "title" is missing'],
    ['an unknown way to write', good.replace('append', 'appendd'), '10: '],
    ['upsert without a key', good.replace('append', 'upsert'), 'upsert needs key'],
    [
      'a step that does two things',
      good.replace('      - id: copy\n', '      - id: copy\n        sql: {on: b, text: x}\n'),
      '7: a step does one thing',
    ],
    ['broken YAML', good.replace('parts:', 'parts: ['), 'Flow'],
    ['a name with blanks', good.replace('name: copy', 'name: My Copy'), '2: lower-case letters'],
  ])('marks %s at its line', (_what, text, expected) => {
    const faults = faultsOf(text)
    expect(faults.join('\n')).toContain(expected)
    expect(parseJob(text).job).toBeUndefined()
  })
  it('refuses two steps of one name', () => {
    expect(faultsOf(good + good.slice(good.indexOf('      - id: copy'))).join()).toContain(
      'a second step "copy"',
    )
  })
  it('never throws, whatever it is given', () => {
    for (const text of [
      '',
      '[]',
      '5',
      '"x"',
      'null',
      '&a *a',
      '\0',
      'a: b: c',
      '%YAML 9',
      good.slice(0, 50),
    ]) {
      expect(() => parseJob(text)).not.toThrow()
      expect(parseJob(text).job).toBeUndefined()
    }
  })
  it('publishes its schema as JSON Schema 2020-12', () => {
    expect(jobJsonSchema()).toMatchObject({
      $schema: 'https://json-schema.org/draft/2020-12/schema',
      type: 'object',
      required: expect.arrayContaining(['mattock', 'name', 'title', 'parts']),
    })
  })
})
