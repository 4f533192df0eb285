import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import Keeping from './Keeping'
import type { Kept } from './kept'

const kept = (more: Partial<Kept> = {}): Kept => ({
  kind: 'runs',
  title: 'Runs',
  says: 'their loads',
  days: 400,
  fewest: 7,
  setBy: null,
  count: 1200,
  oldest: '2026-09-01T00:00:00.000Z',
  bytes: 8_300_000,
  goes: 0,
  ...more,
})
const changes = kept({
  kind: 'changes',
  title: 'Changes of control tables',
  days: null,
  count: 5,
  bytes: 1000,
  fewest: 30,
})
const answers = (more: Answers = {}): Answers => ({
  kept: [kept(), changes],
  swept: [],
  wouldGo: { goes: 0 },
  ...more,
})

describe('what is kept', () => {
  it('says how much there is, since when, and for how long', async () => {
    const page = show(<Keeping />, { answers: answers() })
    expect(
      await screen.findByText('8.3 MB in all; what is older than it is to be kept goes once an hour'),
    ).toBeTruthy()
    expect(page.text()).toContain('1,200')
    expect(screen.getByRole('button', { name: 'keep Runs for' }).textContent).toBe('400 days')
    expect(screen.getByRole('button', { name: 'keep Changes of control tables for' }).textContent).toBe(
      'for ever',
    )
    expect(screen.getByRole('button', { name: 'Take away now' })).toHaveProperty('disabled', true)
  })

  it('says before it is set what would go, and sets it', async () => {
    const page = show(<Keeping />, { answers: answers({ wouldGo: { goes: 189 }, keepFor: {} }) })
    await page.user.click(await screen.findByRole('button', { name: 'keep Runs for' }))
    const days = await screen.findByLabelText('days')
    await page.user.clear(days)
    await page.user.type(days, '40')
    expect(await screen.findByText('189 would go within the hour, for good.')).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Keep them so long' }))
    expect(page.bodies('keepFor')).toEqual([{ days: 40 }])
    expect(await screen.findByText('Runs are kept for 40 days')).toBeTruthy()
  })

  it('takes the setting back where it was a slip', async () => {
    const page = show(<Keeping />, { answers: answers({ keepFor: {} }) })
    await page.user.click(await screen.findByRole('button', { name: 'keep Runs for' }))
    await page.user.clear(await screen.findByLabelText('days'))
    await page.user.click(screen.getByRole('button', { name: 'Keep them so long' }))
    await page.user.click(await screen.findByRole('button', { name: 'Undo' }))
    expect(page.bodies('keepFor')).toEqual([{ days: null }, { days: 400 }])
  })

  it('refuses fewer days than may be, before it asks', async () => {
    const page = show(<Keeping />, { answers: answers() })
    await page.user.click(await screen.findByRole('button', { name: 'keep Runs for' }))
    const days = await screen.findByLabelText('days')
    await page.user.clear(days)
    await page.user.type(days, '3')
    await page.user.click(screen.getByRole('button', { name: 'Keep them so long' }))
    expect(await screen.findByText('Runs are kept for 7 days at least')).toBeTruthy()
    expect(page.bodies('keepFor')).toEqual([])
    expect(page.asked.filter(({ route, query }) => route === 'wouldGo' && query.days === '3')).toEqual([])
  })

  it('asks before it takes anything away, naming each kind', async () => {
    const page = show(<Keeping />, { answers: answers({ kept: [kept({ goes: 12 }), changes], tidy: {} }) })
    await page.user.click(await screen.findByRole('button', { name: 'Take away now' }))
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('Runs: 12 older than 400 days')
    expect(dialog.textContent).not.toContain('Changes of control tables')
    await page.user.click(within(dialog).getByRole('button', { name: 'Leave it as it is' }))
    expect(page.bodies('tidy')).toEqual([])
    await page.user.click(screen.getByRole('button', { name: 'Take away now' }))
    await page.user.click(
      within(await screen.findByRole('dialog')).getByRole('button', { name: 'Take it away' }),
    )
    expect(page.bodies('tidy')).toHaveLength(1)
  })

  it('says in the dialog what stands in the way', async () => {
    const page = show(<Keeping />, {
      answers: answers({ kept: [kept({ goes: 12 })], tidy: fault('internal', 'the queue does not answer') }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Take away now' }))
    const dialog = await screen.findByRole('dialog')
    await page.user.click(within(dialog).getByRole('button', { name: 'Take it away' }))
    expect(await within(dialog).findByText(/the queue does not answer/)).toBeTruthy()
  })

  it('shows what was left behind and is gone', async () => {
    const files = { kind: 'files', title: 'Half-written files', says: 'beside files', total: 1234, last: 2, at: '2026-11-25T18:04:00.000Z' } // prettier-ignore
    const page = show(<Keeping />, { answers: answers({ swept: [files] }) })
    expect(await screen.findByText('by what ended in the middle; none of it is missed')).toBeTruthy()
    expect(page.text()).toContain('Half-written files')
    expect(page.text()).toContain('1,234')
    show(<Keeping />, { answers: answers() })
    expect(await screen.findByText('nothing so far')).toBeTruthy()
  })

  it('is to be seen by a reader, and set by an engineer', async () => {
    show(<Keeping />, { role: 'reader', answers: answers() })
    expect(await screen.findByText('400 days')).toBeTruthy()
    expect(screen.queryByRole('button', { name: /keep Runs|Take away/ })).toBeNull()
  })
})
