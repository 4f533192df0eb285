import { describe, expect, it } from 'vitest'
import { stepWaits } from './order'
import { leaveOrder, renameStep, setBehind, setBeside } from './editOrder'
import { moveStep, removeStep } from './editSteps'
import { parseJob } from './parse'

const step = (id: string, more = '') => `      - id: ${id} # ${id}\n${more}        log: { text: ${id} }\n`
const text = (...steps: string[]) =>
  `mattock: job/1\nname: a\ntitle: A\nparts:\n  - once:\n${steps.join('')}  - once:\n${step('other')}`
const plain = text(step('a'), step('b'), step('c'), step('d'))
const waits = (of: string) => {
  const { job, faults } = parseJob(of)
  expect(faults).toEqual([])
  return stepWaits(job!.parts[0]!)
}

describe('the order of steps, edited in the text', () => {
  it('lets a step run beside the one above; what came after waits for both', () => {
    const beside = setBeside(plain, 'c')
    expect(waits(beside)).toEqual([[], [0], [0], [1, 2]])
    // comments stay, and so does every line that has nothing to do with it
    expect(beside.split('\n').filter((line) => !line.includes('after:'))).toEqual(plain.split('\n'))
  })
  it('puts a third one beside two', () => {
    expect(waits(setBeside(setBeside(plain, 'b'), 'c'))).toEqual([[], [], [], [0, 1, 2]])
  })
  it('puts it behind the one above again', () => {
    expect(waits(setBehind(setBeside(plain, 'd'), 'd'))).toEqual([[], [0], [1], [2]])
  })
  it('says why the first cannot run beside another', () => {
    expect(() => setBeside(plain, 'a')).toThrow('nothing stands above it')
  })
  it('what waited for a step that is taken out waits for what that one waited for', () => {
    const all = text(step('a'), step('b', '        after: [a]\n'), step('c', '        after: [b]\n'), step('d', '        after: [b, c]\n')) // prettier-ignore
    expect(waits(removeStep(all, 'b'))).toEqual([[], [0], [0, 1]])
    expect(waits(moveStep(all, 'b', { part: 1, at: 0 }))).toEqual([[], [0], [0, 1]])
    expect(leaveOrder(all, 'd')).toBe(all)
  })
  it('a step is renamed where others wait for it, too', () => {
    const all = text(step('a'), step('b'), step('c', '        after: [b, a]\n'), step('d'))
    const renamed = renameStep(all, 'b', 'middle')
    expect(renamed).toBe(all.replace('- id: b #', '- id: middle #').replace('[b, a]', '[middle, a]'))
    expect(waits(renamed)).toEqual([[], [0], [0, 1], [2]])
  })

  it('gives a step its new name where another part takes away what it covers', () => {
    const text = `parts:
  - once:
      - {id: load, log: {text: x}}
  - once:
      - {id: clear, files: {do: delete, from: {store: s, files: '*'}, covered_by: [other, load]}}
`
    expect(renameStep(text, 'load', 'bring-in')).toContain('covered_by: [other, bring-in]')
    expect(renameStep(text, 'clear', 'away')).toContain('covered_by: [other, load]')
  })
})
