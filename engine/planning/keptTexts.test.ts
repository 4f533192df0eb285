import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { Varies } from '../../core/plan/types'
import type { Resolved, Slot, SlotKind } from '../../core/text/slot'
import { keep, pick, resolvedOf, unkept } from './keptTexts'

const slot = (kind: SlotKind): Slot => ({ step: 's', path: 'transfer.from.files', kind, text: '{row.x}' })
const ofKind: Record<'text' | 'path' | 'sql' | 'later', fc.Arbitrary<Resolved>> = {
  text: fc.string().map((text): Resolved => ({ kind: 'text', text })),
  path: fc
    .tuple(fc.string(), fc.string(), fc.boolean())
    .map(([text, pattern, same]): Resolved => ({ kind: 'path', text, pattern: same ? text : pattern })),
  sql: fc
    .tuple(fc.string(), fc.array(fc.oneof(fc.string(), fc.integer(), fc.constant(null))))
    .map(([text, values]): Resolved => ({ kind: 'sql', text, values })),
  later: fc.string().map((text) => ({ kind: 'later', text }) as unknown as Resolved),
}

describe('a text as a plan keeps it', () => {
  it('comes back as it was, of whatever kind', () => {
    for (const kind of ['text', 'path', 'sql'] as const)
      fc.assert(
        fc.property(fc.oneof(ofKind[kind], fc.constant(null)), (resolved) => {
          // as it lies in the store: JSON
          const kept = JSON.parse(JSON.stringify(keep(resolved))) as ReturnType<typeof keep>
          expect(unkept(kept, slot(kind))).toEqual(resolved)
        }),
      )
  })

  it('is its text alone where that says all', () => {
    expect(keep({ kind: 'text', text: 'a' })).toBe('a')
    expect(keep({ kind: 'path', text: 'a.csv', pattern: 'a.csv' })).toBe('a.csv')
    expect(keep({ kind: 'path', text: 'a*.csv', pattern: 'a[*].csv' })).toMatchObject({ kind: 'path' })
    expect(keep(null)).toBeNull()
  })
})

describe('the texts of a load', () => {
  it('are put together in their order from what varies with its row, its slice, both, or not at all', () => {
    const varied = fc.array(
      fc.record({
        by: fc.constantFrom<Varies>('same', 'row', 'slice', 'both'),
        text: fc.oneof(ofKind.text, fc.constant(null)),
      }),
      { maxLength: 12 },
    )
    fc.assert(
      fc.property(varied, (list) => {
        const varies = list.map(({ by }) => by)
        const resolved = list.map(({ text }) => text)
        const same = resolved.filter((_, i) => varies[i] === 'same')
        const part = { varies, same } as never
        const slots = list.map(() => slot('text'))
        const [byRow, bySlice, own] = (['row', 'slice', 'both'] as const).map((by) =>
          pick(resolved, varies, by),
        )
        expect(resolvedOf(part, slots, byRow!, bySlice!, own!)).toEqual(resolved)
      }),
    )
  })

  it('of plans from before are all in the load itself', () => {
    const before = { varies: undefined, same: undefined } as never
    expect(resolvedOf(before, [slot('text'), slot('path')], [], [], ['a', 'b'])).toEqual([
      { kind: 'text', text: 'a' },
      { kind: 'path', text: 'b', pattern: 'b' },
    ])
  })
})
