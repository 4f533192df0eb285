import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { documentReader } from '../document/read'
import { nearestName, didYouMean, editDistance } from '../expression/nearest'
import { addPart, addStep, copyJob, duplicateStep, newJob, removeStep, setOff } from './editSteps'
import { jobSchema } from './document'
import { outlineOf } from './outline'
import { parseJob } from './parse'
import { stepKinds } from './steps'

const names = { database: 'books', store: 'drop', service: 'weather' }
const good = (text: string) => {
  const { job, faults } = parseJob(text)
  expect(faults).toEqual([])
  return job!
}

describe('what is new', () => {
  it('is a job that can be saved, whatever it is called', () => {
    const title = fc
      .string({ minLength: 1 })
      .filter(
        (text) =>
          text.trim() !== '' &&
          !/[\0-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u2028\u2029\ufeff\ufffe\uffff]/.test(text),
      )
    fc.assert(
      fc.property(title, (words) => {
        expect(good(newJob('a-job', words, names)).title).toBe(words)
      }),
      { numRuns: 200 },
    )
  })

  it.each(stepKinds)('is a %s that stands in a document as it is made, on what is there', (kind) => {
    const { text, id } = addStep(newJob('a', 'A', names), 0, 1, kind, names)
    const steps = good(text).parts[0]!.do!
    expect(steps.map((step) => step.id)).toContain(id)
    expect(text).not.toMatch(/a-database|a-store|a-service/)
  })

  it.each(stepKinds)('is a part that begins with a %s, once and for each row', (kind) => {
    for (const part of ['once', 'each'] as const) {
      const { text } = addPart(newJob('a', 'A', names), 1, part, kind, names)
      expect(good(text).parts).toHaveLength(2)
    }
  })

  it.each(stepKinds)('is a %s that can be doubled, turned off and taken out again', (kind) => {
    const { text, id } = addStep(newJob('a', 'A', names), 0, 1, kind, names)
    const doubled = duplicateStep(text, id)
    expect(new Set(good(doubled.text).parts[0]!.do!.map((step) => step.id)).size).toBe(3)
    const off = setOff(text, id, true)
    const { place } = parseJob(off)
    expect(outlineOf(good(off), place).parts[0]!.steps.find((step) => step.id === id)!.off).toBe(true)
    expect(setOff(off, id, false)).toBe(text)
    expect(good(removeStep(text, id)).parts[0]!.do!.map((step) => step.id)).not.toContain(id)
  })

  it('is a copy that differs in its name and title only', () => {
    const text = `# why it is so\n${newJob('a', 'A', names)}# the end\n`
    const copy = copyJob(text, 'b', 'A: "copy"')
    expect(good(copy)).toMatchObject({ name: 'b', title: 'A: "copy"' })
    expect(copy).toContain('# why it is so')
    expect(copy).toContain('# the end')
  })
})

describe('a mistake in a document', () => {
  const read = documentReader(jobSchema)

  it('stands at its line and column, or at its nearest parent', () => {
    const text = newJob('a', 'A', names)
    const { place } = read(text)
    expect(place('')).toEqual({ line: 1, column: 1 })
    expect(place('title')).toEqual({ line: 3, column: 1 })
    expect(place('title.nothing.here')).toEqual({ line: 3, column: 1 })
    const { line } = place('parts.0.do.0.transfer.into')
    expect(text.split('\n')[line - 1]).toContain('into:')
  })

  it('is told for any text at all, and never thrown', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.string().map((rest) => newJob('a', 'A', names) + rest),
        ),
        (text) => {
          const { value, faults } = read(text)
          expect(value === undefined).toBe(faults.length > 0)
          for (const { where } of faults) expect(where.line).toBeGreaterThanOrEqual(1)
        },
      ),
      { numRuns: 300 },
    )
  })

  it('of an alias is told: of one that names nothing, and of those that would fill the memory', () => {
    expect(read('*nobody').faults[0]!.code).toBe('yaml')
    const lists = [
      'a: &a [x, x, x, x, x, x, x, x, x]',
      ...'bcdefgh'
        .split('')
        .map((name, i) => `${name}: &${name} [${Array(9).fill(`*${'abcdefgh'[i]}`).join(', ')}]`),
    ]
    expect(read(`mattock: job/1\n${lists.join('\n')}\n`).faults[0]!.code).toBe('yaml')
  })

  it('of one key twice is a mistake, since one of them would be lost', () => {
    expect(read('mattock: job/1\nname: a\nname: b\ntitle: A\nparts: []\n').faults[0]!.where.line).toBe(3)
  })

  it('of many names is one for each', () => {
    const { faults } = read(newJob('a', 'A', names).replace('title: A', 'title: A\nfirst: 1\nsecond: 2'))
    expect(faults.map(({ message }) => message)).toEqual([
      expect.stringContaining('"first"'),
      expect.stringContaining('"second"'),
    ])
  })
})

describe('the nearest name', () => {
  const word = fc.stringMatching(/^[a-z_]{3,10}$/)

  it('is the name itself where it is known', () => {
    fc.assert(
      fc.property(fc.array(word, { minLength: 1 }), (known) => {
        expect(nearestName(known[0]!, known)).toBe(known[0])
      }),
    )
  })

  it('is found over one slip of the fingers', () => {
    fc.assert(
      fc.property(word, fc.nat(), (name, at) => {
        const i = at % name.length
        for (const slip of [name.slice(0, i) + name.slice(i + 1), `${name.slice(0, i)}x${name.slice(i)}`])
          expect(nearestName(slip, [name])).toBe(name)
      }),
    )
  })

  it('is none where nothing is near', () => {
    expect(nearestName('zzzzzz', ['meter', 'district'])).toBeUndefined()
    expect(didYouMean('zzzzzz', ['meter'])).toBe('')
    expect(didYouMean('mter', ['meter'])).toBe('; did you mean "meter"?')
    expect(nearestName('x', [])).toBeUndefined()
  })

  it('is measured as a distance is: none to itself, the same both ways', () => {
    fc.assert(
      fc.property(word, word, (a, b) => {
        expect(editDistance(a, a)).toBe(0)
        expect(editDistance(a, b)).toBe(editDistance(b, a))
        expect(editDistance(a, b)).toBeLessThanOrEqual(Math.max(a.length, b.length))
      }),
    )
    // the swap of neighbours counts as one (Damerau, 1964)
    expect(editDistance('ab', 'ba')).toBe(1)
    expect(editDistance('kitten', 'sitting')).toBe(3)
  })
})
