import { describe, expect, it } from 'vitest'
import { everyText } from './words'

describe('durations in words', () => {
  it.each([
    ['P1D', 'each day'],
    ['PT1H', 'each hour'],
    ['P1M', 'each month'],
    ['P1W', 'each week'],
    ['P7D', 'every 7 days'],
    ['PT15M', 'every 15 minutes'],
    ['P1DT12H', 'every 1 day 12 hours'],
    ['nonsense', 'nonsense'],
    ['PT0S', 'PT0S'],
  ])('%s is %s', (duration, words) => expect(everyText(duration)).toBe(words))
})
