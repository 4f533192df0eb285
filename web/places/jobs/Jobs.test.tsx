import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { parseJob } from '../../../core/job/parse'
import { connection } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import Jobs from './Jobs'

type Brief = Answer<typeof routes.jobs>[number]
const job = (more: Partial<Brief> = {}): Brief => ({
  name: 'gauge-readings',
  title: 'Gauge readings',
  tags: ['gauges', 'nightly'],
  version: 3,
  runsIn: [{ environment: 'dev', version: 3 }],
  savedAt: '2026-11-20T10:00:00.000Z',
  savedBy: 'Ana',
  slices: 'P1D, Europe/Oslo',
  rosters: ['rows of feed_control where row.active'],
  steps: 2,
  lastRun: { id: 9, state: 'failed', at: '2026-11-24T03:00:00.000Z' },
  ...more,
})
const once = job({ name: 'tidy', title: 'Tidy up', tags: [], rosters: [], slices: null, lastRun: null })
const answers = (more: Answers = {}): Answers => ({
  jobs: [job(), once],
  connections: [connection(), connection({ name: 'gauge-drop', kind: 'files' })],
  ...more,
})

describe('jobs', () => {
  it('say what they loop over, for which slices, and how the last run ended', async () => {
    show(<Jobs />, { answers: answers() })
    const row = (await screen.findByText('Gauge readings')).closest('[role=row]') as HTMLElement
    expect(row.textContent).toContain('each day, Europe/Oslo')
    expect(within(row).getByRole('link', { name: 'run 9' }).getAttribute('href')).toBe('/runs/9')
    const other = screen.getByText('Tidy up').closest('[role=row]') as HTMLElement
    expect(other.textContent).toContain('nothing, it runs once')
    expect(other.textContent).toContain('never')
  })

  it('are found by name, title and tag', async () => {
    const page = show(<Jobs />, { answers: answers() })
    await page.user.type(await screen.findByLabelText('find a job or tag'), 'NIGHT')
    expect(screen.queryByText('Tidy up')).toBeNull()
    expect(screen.getByText('Gauge readings')).toBeTruthy()
    await page.user.type(screen.getByLabelText('find a job or tag'), 'zz')
    expect(await screen.findByText('No job is called that.')).toBeTruthy()
  })

  it('begin with a document that is one, on connections that are there', async () => {
    const page = show(<Jobs />, { answers: answers({ saveJob: { version: 1, stays: [] } }) })
    await page.user.click(await screen.findByRole('button', { name: 'New job' }))
    const dialog = await screen.findByRole('dialog', { name: 'A new job' })
    await page.user.type(within(dialog).getByRole('textbox', { name: /name/ }), 'rain')
    await page.user.type(within(dialog).getByRole('textbox', { name: /title/ }), 'Rain: "all" of it')
    await page.user.click(within(dialog).getByRole('button', { name: 'Make it' }))
    const [body] = page.bodies('saveJob') as { text: string; base: number }[]
    expect(body!.base).toBe(0)
    const { job: made, faults } = parseJob(body!.text)
    expect(faults).toEqual([])
    expect(made).toMatchObject({ name: 'rain', title: 'Rain: "all" of it' })
    expect(body!.text).toContain('gauge-drop')
    expect(page.address()).toBe('/jobs/rain')
  })

  it('keep what was typed where the name is taken', async () => {
    const page = show(<Jobs />, {
      answers: answers({ saveJob: fault('conflict', 'there is a job "rain" already', { path: 'name' }) }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'New job' }))
    const dialog = await screen.findByRole('dialog', { name: 'A new job' })
    await page.user.type(within(dialog).getByRole('textbox', { name: /name/ }), 'rain')
    await page.user.type(within(dialog).getByRole('textbox', { name: /title/ }), 'Rain')
    await page.user.click(within(dialog).getByRole('button', { name: 'Make it' }))
    expect(await within(dialog).findByText(/there is a job "rain" already/)).toBeTruthy()
    expect(within(dialog).getByRole('textbox', { name: /name/ })).toHaveProperty('value', 'rain')
  })

  it('are opened by the keyboard', async () => {
    const page = show(<Jobs />, { answers: answers() })
    await screen.findByText('Gauge readings')
    screen.getByRole('grid').focus()
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(page.address()).toMatch(/^\/jobs\/(tidy|gauge-readings)$/)
  })

  it('are a reader’s to look at', async () => {
    show(<Jobs />, { role: 'reader', answers: answers() })
    await screen.findByText('Gauge readings')
    expect(screen.queryByRole('button', { name: /New job/ })).toBeNull()
    expect(screen.queryByRole('link', { name: 'Bring in' })).toBeNull()
  })

  it('say what one is where there is none', async () => {
    show(<Jobs />, { answers: answers({ jobs: [] }) })
    expect(await screen.findByText(/A job says what to do with each row of a roster/)).toBeTruthy()
  })
})
