import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { show } from '../../testing/page'
import { SliceStrip } from './SliceStrip'

const open = (given: unknown) => show(<SliceStrip given={given} />)

describe('the slices of a rule as they lie in time', () => {
  it('are drawn around now, each in words, with the next changes of the clock', () => {
    const page = open({ every: 'P1D', zone: 'Europe/Oslo', from: '2026-01-01', grace: 'PT5H' })
    expect(screen.getByRole('img', { name: /slices from 20/ })).toBeTruthy()
    expect(page.text()).toMatch(/: 1 d, .* to come/)
    expect(page.text()).toMatch(/is set forward in \d{4}-03-\d\d: it is 23 h long/)
    expect(page.text()).toMatch(/is set back in \d{4}-10-\d\d: it is 1 d 1 h long/)
  })
  it('are none while the rule is not whole, and what is wrong with it is said', () => {
    const page = open({ every: 'P1D' })
    expect(screen.queryByRole('img')).toBeNull()
    expect(page.text()).toBe('')
    expect(open({ every: 'soon', zone: 'UTC', from: '2026-01-01' }).text()).toContain('"soon"')
    expect(open({ every: 'P1D', zone: 'UTC', from: '2026-01-01', until: '2026-01-01' }).text()).toContain('no slice lies around now') // prettier-ignore
  })
})
