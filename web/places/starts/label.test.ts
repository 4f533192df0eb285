import { describe, expect, it } from 'vitest'
import { placeLabel } from './label'

const texts = ['due 07:00, likely 04:50', 'due 07:00']
const room = { from: 190, until: 1060 }
const place = (mark: number, ...bars: [from: number, until: number][]) =>
  placeLabel(
    texts,
    mark,
    bars.map(([from, until]) => ({ from, until })),
    room,
  )

describe('the words of a deadline', () => {
  it('stand behind it, or before it where there is a bar or no room', () => {
    expect(place(500)).toEqual({ text: texts[0], before: false, at: 506 })
    expect(place(500, [100, 480])).toMatchObject({ before: false })
    expect(place(500, [520, 530])).toEqual({ text: texts[0], before: true, at: 494 })
    expect(place(1000)).toMatchObject({ text: texts[0], before: true })
  })
  it('are fewer where there is no room for all, and lie over a bar only where neither have any', () => {
    expect(place(500, [420, 425], [600, 610])).toEqual({ text: texts[1], before: false, at: 506 })
    expect(place(1040, [930, 935])).toEqual({ text: texts[1], before: true, at: 1034 })
    expect(place(500, [190, 1060])).toEqual({ text: texts[1], before: false, at: 506 })
    expect(place(1050, [190, 1060])).toMatchObject({ before: true })
  })
  it('keep clear of a bar that is drawn wider than it is long', () => {
    expect(place(500, [502, 502])).toMatchObject({ before: true })
  })
})
