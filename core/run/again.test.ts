import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { partsAgain, stepsAgain } from './again'

const chain = [[], [0], [1]]
const ids = ['stage', 'load', 'report']

describe('which steps a rerun does again', () => {
  it('begins at the step that failed, and keeps what was done before it', () => {
    expect(stepsAgain(chain, ids, [true, false, false], { failed: true })).toEqual([false, true, true])
  })
  it('does again what ran behind the failure, though it ended well', () => {
    // a step that runs whatever happened saw the failed one's outcome, not the mended one's
    expect(stepsAgain(chain, ids, [true, false, true], { failed: true })).toEqual([false, true, true])
  })
  it('leaves what stands beside the failure alone', () => {
    expect(stepsAgain([[], [], [0, 1]], ids, [true, false, false], { failed: true })).toEqual([
      false,
      true,
      true,
    ])
  })
  it('begins at the step that is named, though all of it was done', () => {
    expect(stepsAgain(chain, ids, [true, true, true], { step: 'load' })).toEqual([false, true, true])
  })
  it('does not keep a step before the named one that was never done', () => {
    expect(stepsAgain(chain, ids, [false, true, true], { step: 'report' })).toEqual([true, true, true])
  })
  it('does all of a load that has no such step', () => {
    expect(stepsAgain(chain, ids, [true, true, true], { step: 'other' })).toEqual([true, true, true])
  })

  const graph = fc.integer({ min: 1, max: 7 }).chain((n) =>
    fc.record({
      waits: fc.tuple(...Array.from({ length: n }, (_, at) => fc.subarray([...Array(at).keys()]))),
      done: fc.array(fc.boolean(), { minLength: n, maxLength: n }),
      at: fc.nat(n - 1),
    }),
  )
  it('never keeps a step that was not done, nor one that waits for a step that is done again', () => {
    fc.assert(
      fc.property(graph, fc.boolean(), ({ waits, done, at }, named) => {
        const names = waits.map((_, i) => `s${i}`)
        const again = stepsAgain(waits, names, done, named ? { step: `s${at}` } : { failed: true })
        waits.forEach((before, i) => {
          if (!again[i]) {
            expect(done[i]).toBe(true)
            expect(before.some((one) => again[one])).toBe(false)
          }
        })
        if (named) expect(again[at]).toBe(true)
      }),
    )
  })
})

describe('which parts a rerun from a step brings back', () => {
  const parts = [['empty'], ['bring-in', 'check'], ['report'], ['tell']]
  it("takes the step's own and those behind it", () => {
    expect(partsAgain([[], [0], [1], [0]], parts, 'check')).toEqual([1, 2])
  })
  it('takes none for a step that is not there', () => {
    expect(partsAgain([[], [0], [1], [2]], parts, 'gone')).toEqual([])
  })
})
