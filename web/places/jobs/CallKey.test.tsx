import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import { CallKey } from './CallKey'

const path = '/api/calls/dev/gauges/outside'
const known = { start: 'outside', path, madeBy: 'T. Holm', madeAt: '2026-11-20T10:00:00.000Z', usedAt: null }
const open = (answers: Answers = {}, role?: 'reader') =>
  show(<CallKey job="gauges" start="outside" />, {
    answers: { callKeys: [], makeCallKey: { key: 'k-1', path }, dropCallKey: {}, ...answers },
    ...(role ? { role } : {}),
  })

describe('the key of a start that is called', () => {
  it('is made and shown once', async () => {
    const page = open()
    expect(await screen.findByText(/Nobody can call it in dev yet/)).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Make a key for dev' }))
    expect(await screen.findByDisplayValue('k-1')).toBeTruthy()
    expect(page.bodies('makeCallKey')).toEqual([{ environment: 'dev', job: 'gauges', start: 'outside' }])
    await page.user.click(screen.getByRole('button', { name: 'I have it' }))
    expect(screen.queryByDisplayValue('k-1')).toBeNull()
  })
  it('is replaced or taken away only after a question', async () => {
    const page = open({ callKeys: [known] })
    expect(await screen.findByText(/key made by T. Holm/)).toBeTruthy()
    expect(screen.getByText(/never called/)).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Make another key' }))
    await page.user.click(await screen.findByRole('button', { name: 'Leave it as it is' }))
    expect(page.bodies('makeCallKey')).toEqual([])
    await page.user.click(screen.getByRole('button', { name: 'Take the key away' }))
    await page.user.click(await screen.findByRole('button', { name: 'Take it away' }))
    expect(page.bodies('dropCallKey')).toHaveLength(1)
  })
  it('is not offered to who may only look; what goes wrong is said', async () => {
    open({}, 'reader')
    expect(await screen.findByText(/Nobody can call it/)).toBeTruthy()
    expect(screen.queryByRole('button')).toBeNull()
    const page = open({
      makeCallKey: fault('unknown-name', 'gauges has no start "outside" that can be called in dev'),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Make a key for dev' }))
    expect(await screen.findByText(/has no start "outside"/)).toBeTruthy()
  })
})
