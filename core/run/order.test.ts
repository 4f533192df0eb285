import { readFileSync } from 'node:fs'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { ancestorsOf, followsOn, inTurn, layOut, orderOf, type Ordered } from './order'

const named = (text: string): Ordered[] =>
  text.split(' ').map((one) => {
    const [id, after] = one.split('<')
    return { id: id!, ...(after === undefined ? {} : { after: after === '' ? [] : after.split(',') }) }
  })
const waits = (text: string) => orderOf(named(text)).waits

// random orders, worked out by networkx 3.6.1 (tests/references/order.py)
const reference = JSON.parse(
  readFileSync(new URL('../../tests/references/order.json', import.meta.url), 'utf8'),
) as { waits: number[][]; circles: number[][]; ancestors?: number[][]; levels?: number[] }[]

describe('an order', () => {
  it('is one after the other where nothing is said', () => {
    expect(waits('a b c')).toEqual([[], [0], [1]])
    const simply = (text: string) => waits(text).every(followsOn)
    expect(simply('a b c')).toBe(true)
    expect(simply('a b c<a')).toBe(false)
    expect(simply('a b<')).toBe(false)
  })

  it('is what is said, also of those that stand below', () => {
    expect(waits('a b<a c<a d<b,c')).toEqual([[], [0], [0], [1, 2]])
    expect(waits('a<b b<')).toEqual([[1], []])
    expect(waits('a<b,b b<')).toEqual([[1], []])
  })

  it('goes through what is turned off', () => {
    const all = named('a b<a c<a d<b,c e')
    const { waits } = orderOf(all, (at) => at === 1 || at === 3)
    expect(waits).toEqual([[], [], [0], [], [0, 2]])
  })

  it('names what is not there, and what waits for itself', () => {
    expect(orderOf(named('a b<x,a c<c')).faults).toEqual([
      { at: 1, kind: 'unknown', ids: ['x'] },
      { at: 2, kind: 'itself', ids: ['c'] },
    ])
  })

  it('of two with one name, it waits for the first', () => {
    expect(orderOf([{ id: 'a' }, { id: 'a', after: [] }, { id: 'b', after: ['a'] }]).waits[2]).toEqual([0])
  })

  it('names a circle once, from its first on, and can be worked out all the same', () => {
    const { faults, waits } = orderOf(named('a<c b<a c<b d<c'))
    expect(faults).toEqual([{ at: 0, kind: 'circle', ids: ['a', 'b', 'c'] }])
    expect(waits).toEqual([[], [0], [1], [2]])
  })

  it('is the one that networkx finds', () => {
    for (const { waits, circles, ancestors, levels } of reference) {
      const order = orderOf(waits.map((list, at) => ({ id: `s${at}`, after: list.map((one) => `s${one}`) })))
      const found = order.faults.map(({ ids }) => ids.map((id) => Number(id.slice(1))))
      expect(found.sort((a, b) => a[0]! - b[0]!)).toEqual(circles)
      if (!ancestors) continue
      expect(ancestorsOf(order.waits).map((set) => [...set].sort((a, b) => a - b))).toEqual(ancestors)
      expect(layOut(order.waits).map(({ level }) => level)).toEqual(levels)
    }
  })

  it('waits in no circle, whatever is said', () => {
    const orders = fc.array(
      fc.record({ after: fc.option(fc.array(fc.integer({ min: 0, max: 9 })), { nil: undefined }), off: fc.boolean() }),
      { maxLength: 10 },
    ) // prettier-ignore
    fc.assert(
      fc.property(orders, (all) => {
        const { waits } = orderOf(
          all.map(({ after }, at) => ({ id: `s${at}`, after: after?.map((one) => `s${one}`) })),
          (at) => all[at]!.off,
        )
        const gone = new Set<number>()
        // whoever waits for nobody that is left can go; at the end all have gone
        for (let more = true; more;) {
          more = false
          waits.forEach((list, at) => {
            if (gone.has(at) || !list.every((one) => gone.has(one))) return
            gone.add(at)
            more = true
          })
        }
        expect(gone.size).toBe(all.length)
        waits.forEach((list) => expect(list.some((one) => all[one]!.off)).toBe(false))
      }),
    )
  })
})

describe('one after the other', () => {
  const turn = (text: string) => inTurn(waits(text))
  it('each comes after those it waits for, else as they stand', () => {
    expect(turn('a b c')).toEqual([0, 1, 2])
    expect(turn('a<c b<a c<')).toEqual([2, 0, 1])
    expect(turn('a b<a c<a d<b,c')).toEqual([0, 1, 2, 3])
  })
})

describe('an order is drawn', () => {
  const tracks = (text: string) => layOut(waits(text)).map(({ track }) => track)
  it('on one track where it is plain', () => expect(tracks('a b c')).toEqual([0, 0, 0]))
  it('with a track for each that runs beside others', () => {
    expect(tracks('a b<a c<a d<a e<b,c,d f')).toEqual([0, 0, 1, 2, 0, 0])
    expect(tracks('a b< c< d<a,c')).toEqual([0, 1, 2, 0])
  })
  it('a branch stays on its track until others come together with it', () => {
    expect(tracks('a b<a c<b d<a e<d f<c,e')).toEqual([0, 0, 0, 1, 1, 0])
  })
})
