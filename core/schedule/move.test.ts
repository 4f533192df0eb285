import { describe, expect, it } from 'vitest'
import { movedTo } from '../job/starts'

const at = (iso: string) => Date.parse(iso)
const noon = at('2026-11-25T12:00:00Z')

describe('a start that is moved', () => {
  it('by the clock of its zone, on the same day', () => {
    expect(movedTo('clock', { cron: '0 13 * * mon-fri', zone: 'Europe/Oslo' }, noon, noon + 95 * 60_000, 'Europe/Oslo')).toEqual({ cron: '35 14 * * mon-fri', zone: 'Europe/Oslo', slices: 'new' })
    expect(movedTo('clock', { cron: '0 13 * * *' }, noon, noon + 12 * 3_600_000, 'Europe/Oslo')).toBeUndefined()
    expect(movedTo('clock', { cron: '*/5 13 * * *' }, noon, noon + 60_000, 'UTC')).toBeUndefined()
    // the clock is set forward in between: from one to four are two hours
    expect(movedTo('clock', { cron: '0 1 * * *' }, at('2026-03-29T00:00Z'), at('2026-03-29T02:00Z'), 'Europe/Oslo')).toMatchObject({ cron: '0 4 * * *' })
  })
  it('a slice by what it waits, never before it is over', () => {
    expect(movedTo('slice', {}, noon, noon + 95 * 60_000, 'UTC')).toEqual({ later: 'PT1H35M' })
    expect(movedTo('slice', { later: 'PT30M' }, noon, noon - 30 * 60_000, 'UTC')).toEqual({})
    expect(movedTo('slice', { later: 'PT30M' }, noon, noon - 31 * 60_000, 'UTC')).toBeUndefined()
    expect(movedTo('ended', { job: 'a' }, noon, noon, 'UTC')).toBeUndefined()
  })
}) // prettier-ignore
