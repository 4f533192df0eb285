import { describe, expect, it } from 'vitest'
import { lastHour } from './lastHour'

describe('a count of the last hour', () => {
  it('forgets what is older', () => {
    let now = 0
    const hour = lastHour(() => now)
    for (let minute = 0; minute < 90; minute++) {
      now = minute * 60_000
      hour.note()
      hour.note()
      expect(hour.count()).toBe(2 * Math.min(60, minute + 1))
    }
    now += 3_600_000
    expect(hour.count()).toBe(0)
  })
})
