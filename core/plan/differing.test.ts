import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Resolved, Slot } from '../text/slot'
import { differing } from './differing'
import { textAt, textsOf, textsOfStep, textTable } from './texts'
import type { Expansion } from './types'

const slot = (step: string, path: string, text = '{row.a}'): Slot => ({ step, path, kind: 'text', text })
const text = (value: string): Resolved => ({ kind: 'text', text: value })
const slots = [
  slot('bring-in', 'transfer.from.files'),
  slot('bring-in', 'transfer.into.table'),
  slot('say', 'log.text'),
]
const part = (rows: Record<string, string>[]) => ({
  index: 0,
  steps: [
    { id: 'bring-in', title: 'bring-in', kind: 'transfer', slots: slots.slice(0, 2) },
    { id: 'say', title: 'say', kind: 'log', slots: slots.slice(2) },
  ],
  roster: {
    columns: [
      { name: 'a', type: 'text' },
      { name: 'b', type: 'text' },
    ],
    rows: rows.map((row, i) => ({ key: String(i), row })),
  },
  slices: undefined,
})
const expansion = (loads: { a: string; b: string; texts: [string, string, string] }[]) =>
  ({
    parts: [part(loads.map(({ a, b }) => ({ a, b })))],
    loads: loads.map(({ texts }, row) => ({
      part: 0,
      row,
      slice: -1,
      key: String(row),
      resolved: texts.map(text),
    })),
  }) as unknown as Pick<Expansion, 'parts' | 'loads'>

describe('what differs between the loads of a plan', () => {
  const value = fc.constantFrom('x', 'y', 'z')
  const load = fc.record({ a: value, b: value, texts: fc.tuple(value, value, value) })

  it('is a column where any two loads differ in it, and said once where none do', () => {
    fc.assert(
      fc.property(fc.array(load, { minLength: 1, maxLength: 6 }), (loads) => {
        const { columns, same } = differing(expansion(loads), 0)
        const varies = (of: (one: (typeof loads)[number]) => string) => new Set(loads.map(of)).size > 1
        expect(columns.some(({ id }) => id === 'row.a')).toBe(varies(({ a }) => a))
        expect(columns.some(({ id }) => id === 'row.b')).toBe(varies(({ b }) => b))
        for (const column of columns)
          if (column.kind === 'slot') expect(varies(({ texts }) => texts[column.slot!]!)).toBe(true)
        // what is said once is so for every load
        for (const { text: said } of same)
          expect(loads.every((one) => [one.a, one.b, ...one.texts].some((own) => own === said))).toBe(true)
      }),
    )
  })

  it('is nothing where there is one load', () => {
    const { columns } = differing(expansion([{ a: 'x', b: 'y', texts: ['1', '2', '3'] }]), 0)
    expect(columns).toEqual([])
  })
})

describe('the texts of a part', () => {
  const of = part([])
  const resolved = ['f.csv', 'raw.t', 'done'].map(text)

  it('are found by step and path, wherever they stand', () => {
    expect(textAt(of as never, { resolved }, 'bring-in', 'transfer.into.table')).toEqual(text('raw.t'))
    expect(textAt(of as never, { resolved }, 'say', 'log.text')).toEqual(text('done'))
    expect(textAt(of as never, { resolved }, 'say', 'transfer.into.table')).toBeNull()
    expect(textAt(of as never, { resolved: [] }, 'say', 'log.text')).toBeNull()
  })

  it('are all of them, in the order of the steps', () => {
    expect(textsOf(of as never, { resolved }).map(({ slot: { path } }) => path)).toEqual(
      slots.map(({ path }) => path),
    )
    expect(textsOfStep(of as never, { resolved }, 'say')).toHaveLength(1)
    expect(textTable(of as never)).toBe(textTable(of as never))
  })
})
