import { describe, expect, it } from 'vitest'
import { offerAt, type OfferedNames } from './complete'

const names: OfferedNames = {
  connections: {
    postgres: ['warehouse', 'assetdb'],
    files: ['gauge-drop'],
    service: ['rainfall'],
    mail: [],
    webhook: [],
  },
  controls: ['feed_control'],
  expressions: ['row.kind', 'row.district', 'slice.from', 'format('],
}
/** The labels offered where the text has a bar. */
const labels = (text: string): string[] =>
  offerAt(text.replace('|', ''), text.indexOf('|'), names)?.options.map(({ label }) => label) ?? []
/** The text after the first option was taken. */
const taken = (text: string): string => {
  const plain = text.replace('|', '')
  const offer = offerAt(plain, text.indexOf('|'), names)!
  return plain.slice(0, offer.from) + offer.options[0]!.text + plain.slice(offer.to)
}
const job = 'mattock: job/1\nname: n\ntitle: N\n'

describe('what could stand at a place of a document', () => {
  it('keys of the document, those that are there left out', () => {
    const found = labels(`${job}|`)
    expect(found).toContain('parameters')
    expect(found).toContain('parts')
    expect(found).not.toContain('name')
  })
  it('keys of a part, of a step, of a transfer, block and flow', () => {
    expect(labels(`${job}parts:\n  - |`)).toEqual(expect.arrayContaining(['once', 'each', 'do', 'title']))
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        |`)).toEqual(expect.arrayContaining(['sql', 'transfer', 'check', 'off'])) // prettier-ignore
    expect(labels(`${job}parts:\n  - once:\n      - {id: a, s|}`)).toEqual(expect.arrayContaining(['sql']))
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        transfer:\n          into:\n            wr|`)[0]).toBe('write') // prettier-ignore
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        transfer: {from: {store: s, f|}}`)).toEqual(expect.arrayContaining(['files', 'format'])) // prettier-ignore
  })
  it('keys of a roster within a roster', () => {
    expect(labels(`${job}parts:\n  - each:\n      roster:\n        control: feed_control\n        inner:\n          inner:\n            |`)).toEqual(expect.arrayContaining(['files', 'control', 'exactly_one'])) // prettier-ignore
  })
  it('values: those of the schema, yes and no', () => {
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        transfer:\n          into:\n            write: |`)).toEqual(['append', 'replace-all', 'replace-slice', 'upsert']) // prettier-ignore
    expect(labels(`${job}parts:\n  - each: {roster: {control: c}, slices: |}\n    do: []`)).toEqual(['true', 'false']) // prettier-ignore
    expect(labels(`${job}parameters:\n  region:\n    type: |`)).toContain('timestamp')
  })
  it('names of the connections of the right kind, and of control tables', () => {
    expect(labels(`${job}parts:\n  - each:\n      roster:\n        control: |`)).toEqual(['feed_control'])
    expect(labels(`${job}parts:\n  - once:\n      - {id: a, sql: {on: ass|}}`)).toEqual(['assetdb'])
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        transfer:\n          from:\n            store: |`)).toEqual(['gauge-drop']) // prettier-ignore
  })
  it('names for an expression within braces of a text, but not within those of a map', () => {
    expect(labels(`${job}parts:\n  - once:\n      - id: a\n        transfer:\n          from:\n            files: "x_{row.|}"`)).toEqual(['row.kind', 'row.district']) // prettier-ignore
    expect(labels(`${job}parts:\n  - once:\n      - {id: a, sql: {on: w, text: "select {sl|"}}`)).toEqual(['slice.from']) // prettier-ignore
    expect(labels(`${job}parts:\n  - once:\n      - {|`)).not.toContain('row.kind')
  })
  it('nothing in a comment, or where a text is free', () => {
    expect(labels(`${job}# na|`)).toEqual([])
    expect(labels(`${job}note: free words|`)).toEqual([])
  })
  it('puts in the whole key with its colon, and replaces the word it stands in', () => {
    expect(taken(`${job}par|`)).toBe(`${job}parameters: `)
    expect(taken(`${job}par|ts: []`)).toBe(`${job}parameters: []`)
    expect(taken(`${job}parts:\n  - once:\n      - {id: a, sql: {on: ware|hou}}`)).toContain(
      '{on: warehouse}',
    )
  })
  it('says what a key is', () => {
    const text = `${job}parts:\n  - each:\n      roster:\n        `
    expect(offerAt(text, text.length, names)?.options.find(({ label }) => label === 'where')?.says).toContain('rows for which it is true stay') // prettier-ignore
  })
})
