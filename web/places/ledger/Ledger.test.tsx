import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { runBrief } from '../../testing/answers'
import { fault, never, show } from '../../testing/page'
import Ledger from './Ledger'

const list = (...runs: ReturnType<typeof runBrief>[]) => ({ total: runs.length, runs })

describe('the ledger', () => {
  it('says of each run what it did, and that its rows are even', async () => {
    show(<Ledger />, { answers: { runs: list(runBrief()) } })
    const row = (await screen.findByText('Gauge readings')).closest('[role=row]') as HTMLElement
    expect(row.textContent).toContain('1 min 12 s')
    expect(row.textContent).toContain('1,200')
    expect(within(row).getByText('even')).toBeTruthy()
    expect(screen.getByText('1 run in dev')).toBeTruthy()
  })

  it('says where rows do not balance, and where some were rejected', async () => {
    const rejected = runBrief({ id: 8, counts: { ...runBrief().counts, rejected: 1234 } })
    show(<Ledger />, { answers: { runs: list(runBrief({ unbalanced: 2 }), rejected) } })
    expect(await screen.findByText('off in 2')).toBeTruthy()
    expect(screen.getByText('1,234 rejected')).toBeTruthy()
  })

  it('gives no verdict on a run that is still going', async () => {
    const going = runBrief({ state: 'running', endedAt: null, loads: { done: 3, running: 2, waiting: 7 } })
    show(<Ledger />, { answers: { runs: list(going) } })
    await screen.findByText('Gauge readings')
    expect(screen.queryByText('even')).toBeNull()
  })

  it('asks for the job and state of its address, in the environment that is looked at', async () => {
    const page = show(<Ledger />, {
      answers: { runs: list() },
      environment: 'live',
      at: '/ledger?job=gauge-readings&state=failed',
      path: '/ledger',
    })
    await screen.findByText(/No run fits/)
    const [first] = page.asked.filter(({ route }) => route === 'runs')
    expect(first!.query).toMatchObject({ job: 'gauge-readings', state: 'failed', environment: 'live' })
  })

  it('takes a state that is none for all states', async () => {
    const page = show(<Ledger />, {
      answers: { runs: list(runBrief()) },
      at: '/ledger?state=odd',
      path: '/ledger',
    })
    await screen.findByText('Gauge readings')
    expect(page.asked.find(({ route }) => route === 'runs')!.query.state).toBeUndefined()
  })

  it('leads on where there is nothing yet, and back where nothing fits', async () => {
    show(<Ledger />, { answers: { runs: list() } })
    expect(await screen.findByText(/Every run of dev is kept here/)).toBeTruthy()
    const page = show(<Ledger />, { answers: { runs: list() }, at: '/ledger?state=failed', path: '/ledger' })
    await page.user.click(await screen.findByRole('button', { name: 'Show all' }))
    expect(page.address()).toBe('/ledger')
  })

  it('says what stands in the way of reading it', async () => {
    show(<Ledger />, { answers: { runs: fault('internal', 'the database is away') } })
    expect(await screen.findByText(/the database is away/)).toBeTruthy()
  })

  it('opens a run by the keyboard', async () => {
    const page = show(<Ledger />, { answers: { runs: list(runBrief(), runBrief({ id: 6 })) }, at: '/ledger' })
    await screen.findAllByText('Gauge readings')
    screen.getByRole('grid').focus()
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(page.address()).toBe('/runs/6')
  })

  it('fetches a long list by pages of a hundred', async () => {
    const page = show(<Ledger />, {
      answers: { runs: ({ query }) => ({ total: 5000, runs: Array.from({ length: 100 }, (_, i) => runBrief({ id: 5000 - Number(query.offset) - i })) }) },
    }) // prettier-ignore
    await screen.findByText('5,000 runs in dev')
    expect(page.asked.filter(({ route }) => route === 'runs').length).toBeLessThanOrEqual(2)
    expect(document.querySelectorAll('[role=row]').length).toBeLessThan(120)
  })

  it('waits without showing anything that is not so', () => {
    const page = show(<Ledger />, { answers: { runs: never } })
    expect(page.text()).not.toMatch(/0 runs|Every run of/)
  })
})
