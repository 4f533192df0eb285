import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { fault, never, show } from '../../testing/page'
import ControlTables from './ControlTables'

type Brief = Answer<typeof routes.controlTables>[number]
const table = (more: Partial<Brief> = {}): Brief => ({
  name: 'feed_control',
  title: 'What the districts send',
  where: 'control.feed_control',
  rows: 1039,
  jobs: ['gauge-readings', 'rain-gauges'],
  changedAt: '2026-11-23T10:00:00.000Z',
  changedBy: 'Ana',
  ...more,
})

describe('control tables', () => {
  it('say how many rows they have, who reads them, and who changed them last', async () => {
    show(<ControlTables />, { answers: { controlTables: [table()] } })
    const row = (await screen.findByText('feed_control')).closest('[role=row]') as HTMLElement
    for (const words of ['1,039', 'gauge-readings, rain-gauges', 'Ana'])
      expect(row.textContent).toContain(words)
  })

  it('of a database that does not answer are listed all the same', async () => {
    show(<ControlTables />, {
      answers: { controlTables: [table({ rows: null, jobs: [], changedAt: null, changedBy: null })] },
    })
    const row = (await screen.findByText('feed_control')).closest('[role=row]') as HTMLElement
    expect(within(row).getByText('not there')).toBeTruthy()
    expect(within(row).getByText('no job yet')).toBeTruthy()
    expect(within(row).getByText('never')).toBeTruthy()
  })

  it('are opened by the keyboard', async () => {
    const page = show(<ControlTables />, {
      answers: { controlTables: [table(), table({ name: 'lab_control' })] },
    })
    await screen.findByText('feed_control')
    screen.getByRole('grid').focus()
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(page.address()).toMatch(/^\/control\/(feed|lab)_control$/)
  })

  it('are sorted by what is pressed', async () => {
    const page = show(<ControlTables />, {
      answers: {
        controlTables: [
          table({ name: 'a', rows: 5 }),
          table({ name: 'b', rows: 50 }),
          table({ name: 'c', rows: 7 }),
        ],
      },
    })
    await screen.findByText('a')
    const names = () => screen.getAllByRole('link').map(({ textContent }) => textContent)
    await page.user.click(screen.getByRole('button', { name: 'rows' }))
    const up = names()
    await page.user.click(screen.getByRole('button', { name: 'rows' }))
    expect([up, names()].map((list) => list.join(''))).toEqual(expect.arrayContaining(['acb', 'bca']))
  })

  it('are made by who may change things', async () => {
    show(<ControlTables />, { answers: { controlTables: [table()] } })
    expect(await screen.findByRole('button', { name: 'New control table' })).toBeTruthy()
    show(<ControlTables />, { role: 'reader', answers: { controlTables: [table()] } })
    await screen.findByText('feed_control')
    expect(screen.queryByRole('button', { name: 'New control table' })).toBeNull()
  })

  it('say what they are where there is none, wait, and say what stands in the way', async () => {
    show(<ControlTables />, { answers: { controlTables: [] } })
    expect(await screen.findByText(/A control table is a real database table/)).toBeTruthy()
    show(<ControlTables />, { answers: { controlTables: never } })
    expect(await screen.findByText(/reading the control tables/)).toBeTruthy()
    show(<ControlTables />, { answers: { controlTables: fault('internal', 'the store is away') } })
    expect(await screen.findByText(/the store is away/)).toBeTruthy()
  })
})
