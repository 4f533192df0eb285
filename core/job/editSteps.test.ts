import fc from 'fast-check'
import { readdirSync, readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import {
  addPart,
  addStep,
  copyJob,
  duplicateStep,
  movePart,
  moveStep,
  newJob,
  placeOf,
  removePart,
  removeStep,
  setOff,
  splitPart,
} from './editSteps'
import { clearAt, setAt, tidyAt, valueAt } from './editText'
import { parseJob } from './parse'

const text = `# what this job is for
mattock: job/1
name: t
title: T
parts:
  - once:
      - { id: one, sql: { on: wh, text: "select 1" } } # kept
  - each:
      roster: { control: feeds }
      at_once: 4
    do:
      # what comes in
      - id: two
        transfer:
          from: { store: drop, files: "{row.a}.csv" }
          into:
            connection: wh
            table: raw.x
            write: append
      - id: three
        sql:
          on: wh
          text: |
            select 1,
              2
  - once: [{ id: four, sql: { on: wh, text: a } }, { id: five, sql: { on: wh, text: b } }]
`
const ids = (of: string) => {
  const { job, faults } = parseJob(of)
  if (!job) throw new Error(JSON.stringify(faults) + of)
  return job.parts.map((part) => (part.once ?? part.do ?? []).map(({ id }) => id))
}

describe('editing a document as an outline', () => {
  it('changes nothing but what is asked: every other line stays letter by letter', () => {
    const after = setAt(text, ['parts', 1, 'each', 'at_once'], 8)
    expect(after).toBe(text.replace('at_once: 4', 'at_once: 8'))
    expect(setAt(text, ['parts', 1, 'do', 0, 'transfer', 'into', 'write'], 'replace-all')).toBe(
      text.replace('write: append', 'write: replace-all'),
    )
  })
  it('makes what is not there on the way, and takes an emptied map out', () => {
    const made = setAt(text, ['slices', 'every'], 'P1D')
    expect(valueAt(made, ['slices'])).toEqual({ every: 'P1D' })
    expect(setAt(made, ['slices', 'every'], undefined)).toBe(text)
    expect(setAt(text, ['slices', 'every'], undefined)).toBe(text)
  })
  it('clears a value and leaves the map around it, until that is left', () => {
    const rows = ['parts', 0, 'once', 0, 'check', 'rows']
    const made = setAt(text, rows, { at_least: 1 })
    const cleared = clearAt(made, [...rows, 'at_least'])
    expect(valueAt(cleared, rows)).toEqual({})
    expect(valueAt(setAt(cleared, [...rows, 'at_least'], 5), rows)).toEqual({ at_least: 5 })
    expect(tidyAt(cleared, rows)).toBe(text)
    // a map that holds something stays, and so does what is no map
    expect(tidyAt(made, rows)).toBe(made)
    expect(tidyAt(text, [])).toBe(text)
    expect(tidyAt(text, ['name'])).toBe(text)
    expect(valueAt(clearAt(setAt(made, [...rows, 'at_most'], 9), [...rows, 'at_least']), rows)).toEqual({ at_most: 9 })
    // of the document itself only the entry goes
    expect(clearAt('due: 08:00\n', ['due'])).toBe(setAt('due: 08:00\n', ['due'], undefined))
  }) // prettier-ignore
  it('writes texts of several lines as a literal block', () => {
    const after = setAt(text, ['parts', 1, 'do', 1, 'sql', 'text'], 'select 2;\n  select 3')
    expect(after).toContain('          text: |\n            select 2;\n              select 3\n')
    expect(valueAt(after, ['parts', 1, 'do', 1, 'sql', 'text'])).toBe('select 2;\n  select 3\n')
  })
  it('reads back whatever value is set, anywhere, and leaves the other values alone', () => {
    const value = fc.oneof(fc.string(), fc.integer(), fc.boolean(), fc.array(fc.string(), { maxLength: 3 }), fc.constantFrom('yes', 'null', '1', 'a: b', '{x}', '- a', '# c', "it's", 'a"b', ' lead', 'trail ', 'two\nlines')) // prettier-ignore
    const path = fc.constantFrom(['note'], ['parts', 1, 'title'], ['parts', 1, 'each', 'roster', 'where'], ['parts', 0, 'once', 0, 'note'], ['parts', 1, 'do', 0, 'transfer', 'into', 'note'], ['parts', 2, 'once', 1, 'sql', 'text']) // prettier-ignore
    fc.assert(
      fc.property(path, value, (at, given) => {
        const after = setAt(text, at, given)
        const found = valueAt(after, at)
        // a block ends with a line break of its own
        expect(typeof found === 'string' && typeof given === 'string' ? found.trimEnd() : found).toEqual(typeof given === 'string' ? given.trimEnd() : given) // prettier-ignore
        const rest = parse(setAt(after, at, undefined)) as unknown
        expect(rest).toEqual(parse(setAt(text, at, undefined)))
      }),
      { numRuns: 400 },
    )
  })
  it('adds steps of every kind and parts, at any place', () => {
    for (const kind of ['transfer', 'sql', 'check'] as const) {
      const made = addStep(text, 1, 1, kind)
      expect(valueAt(made.text, ['parts', 1, 'do', 1, 'id'])).toBe(made.id)
      expect(made.text).toContain('# what comes in')
    }
    expect(ids(addStep(text, 2, 2, 'sql').text)[2]).toEqual(['four', 'five', 'statement'])
    expect(ids(addPart(text, 0, 'once', 'sql').text)).toEqual([
      ['statement'],
      ['one'],
      ['two', 'three'],
      ['four', 'five'],
    ])
    expect(ids(addPart(text, 3, 'each', 'sql').text)[3]).toEqual(['statement'])
  })
  it('duplicates under a free name, turns off and on, and takes out', () => {
    const made = duplicateStep(duplicateStep(text, 'two').text, 'two')
    expect(made.id).toBe('two-3')
    expect(ids(made.text)[1]).toEqual(['two', 'two-3', 'two-2', 'three'])
    expect(setOff(setOff(text, 'two', true), 'two', false)).toBe(text)
    expect(parseJob(setOff(text, 'one', true)).job!.parts[0]!.once![0]!.off).toBe(true)
    expect(ids(removeStep(text, 'two'))[1]).toEqual(['three'])
    // the comment above it goes along
    expect(removeStep(text, 'two')).not.toContain('what comes in')
    expect(ids(removeStep(text, 'one'))).toEqual([
      ['two', 'three'],
      ['four', 'five'],
    ])
  })
  it('moves steps within and between parts, whatever their indentation', () => {
    expect(ids(moveStep(text, 'three', { part: 1, at: 0 }))[1]).toEqual(['three', 'two'])
    expect(ids(moveStep(text, 'two', { part: 1, at: 2 }))[1]).toEqual(['three', 'two'])
    expect(moveStep(text, 'two', { part: 1, at: 0 })).toBe(text)
    expect(ids(moveStep(text, 'five', { part: 1, at: 1 }))).toEqual([
      ['one'],
      ['two', 'five', 'three'],
      ['four'],
    ])
    expect(ids(moveStep(text, 'three', { part: 2, at: 0 }))).toEqual([
      ['one'],
      ['two'],
      ['three', 'four', 'five'],
    ])
    expect(() => moveStep(text, 'one', { part: 1, at: 0 })).toThrow(/only step of its part/)
  })
  it('keeps each step what it was, however often steps are moved', () => {
    const steps = ['two', 'three', 'four', 'five']
    const content = (of: string, id: string) => {
      const { part, list, at } = placeOf(of, id)
      return valueAt(of, ['parts', part, list, at])
    }
    const moves = fc.array(fc.tuple(fc.constantFrom(...steps), fc.nat(2), fc.nat(5)), { maxLength: 12 })
    fc.assert(
      fc.property(moves, (list) => {
        let now = text
        for (const [id, part, at] of list) {
          try {
            now = moveStep(now, id, { part, at: Math.min(at, ids(now)[part]!.length) })
          } catch (error) {
            expect(String(error)).toMatch(/only step/)
          }
        }
        expect(ids(now).flat().sort()).toEqual(['five', 'four', 'one', 'three', 'two'])
        for (const id of steps) expect(content(now, id)).toEqual(content(text, id))
      }),
      { numRuns: 60 },
    )
  })
  it('moves, splits and takes out parts', () => {
    expect(ids(movePart(text, 0, 3))).toEqual([['two', 'three'], ['four', 'five'], ['one']])
    expect(ids(movePart(text, 2, 0))).toEqual([['four', 'five'], ['one'], ['two', 'three']])
    const split = splitPart(text, 'three')
    expect(ids(split)).toEqual([['one'], ['two'], ['three'], ['four', 'five']])
    expect(parseJob(split).job!.parts[2]!.each).toEqual(parseJob(split).job!.parts[1]!.each)
    expect(() => splitPart(text, 'two')).toThrow(/begins with this step/)
    expect(() => removePart(removePart(removePart(text, 0), 0), 0)).toThrow(/its only one/)
  })
  it('copies and begins jobs', () => {
    expect(parseJob(copyJob(text, 'u', "It's")).job).toMatchObject({ name: 'u', title: "It's" })
    expect(copyJob(copyJob(text, 'u', 'U'), 't', 'T')).toBe(text)
    expect(parseYamlName(newJob('a-job', 'A: job'))).toBe('a-job')
  })
  // every document that ships with the project survives the editing of each of its steps
  it.each(
    readdirSync(new URL('../../demo/definitions', import.meta.url)).filter((name) => name.endsWith('.yaml')),
  )('edits %s and leaves the rest', (name) => {
    const own = readFileSync(new URL(`../../demo/definitions/${name}`, import.meta.url), 'utf8')
    for (const id of ids(own).flat()) {
      expect(setOff(setOff(own, id, true), id, false)).toBe(own)
      const twice = duplicateStep(own, id)
      expect(removeStep(twice.text, twice.id)).toBe(own)
    }
  })
})

const parseYamlName = (of: string): unknown => (parse(of) as { name: unknown }).name
