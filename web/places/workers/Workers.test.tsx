import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { show } from '../../testing/page'
import Workers from './Workers'

const now = new Date().toISOString()
const worker = {
  id: 1, host: 'weir', pid: 4711, version: '0.1.0', capacity: 3, startedAt: now, beatAt: now, silent: false, draining: false, tags: ['office'],
  memory: 300_000_000, lastHour: 1200, loads: [{ id: 9, run: 4, job: 'billing', environment: 'dev', key: '2021', startedAt: now, waitsFor: null }],
} // prettier-ignore
const idle = { ...worker, id: 2, loads: [], draining: true }
const gone = { ...worker, id: 3, silent: true, beatAt: '2026-11-20T00:00:00.000Z' }

describe('the page of workers', () => {
  it('says what each does, and lets one run dry', async () => {
    const page = show(<Workers />, { answers: { workers: [worker, idle, gone], drainWorker: {} } })
    const link = await screen.findByRole('link', { name: 'billing 2021' })
    expect(link.getAttribute('href')).toBe('/runs/4?load=9')
    expect(screen.getByText('2 workers, 3 loads at the same time')).toBeTruthy()
    expect(screen.getAllByText('office', { selector: '.tag' })).toHaveLength(3)
    expect(screen.getByText('not heard of; its loads go to others')).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'drain worker 1' }))
    await page.user.click(screen.getByRole('button', { name: 'let take again worker 2' }))
    expect(page.bodies('drainWorker')).toEqual([{ drain: true }, { drain: false }])
  })

  it('offers nothing to who may only look, and says what to do where there is none', async () => {
    show(<Workers />, { answers: { workers: [worker] }, role: 'reader' })
    const table = await screen
      .findByRole('table', { name: 'workers' })
      .catch(() => screen.findByLabelText('workers'))
    expect(within(table).queryByRole('button', { name: /drain/ })).toBeNull()
    show(<Workers />, { answers: { workers: [] } })
    expect(await screen.findByText(/No worker is there/)).toBeTruthy()
  })
})
