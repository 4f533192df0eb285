import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { fault, never, show } from '../../testing/page'
import Morning from './Morning'

type Sheet = Answer<typeof routes.morning>
const sheet = (more: Partial<Sheet> = {}): Sheet => ({
  at: '2026-11-24T05:00:00.000Z',
  since: '2026-11-23T11:00:00.000Z',
  done: 1200,
  failed: 3,
  rejected: 1,
  decisions: [],
  jobs: [],
  until: '2026-11-24T17:00:00.000Z',
  ...more,
})
const decision = (more: Partial<Sheet['decisions'][number]>): Sheet['decisions'][number] => ({
  kind: 'failed',
  title: 'Gauge readings: 3 loads failed the same way',
  text: 'permission denied; give the right',
  count: 3,
  run: 9,
  job: 'gauge-readings',
  connection: null,
  latest: '2026-11-24T03:00:00.000Z',
  ...more,
})

describe('the morning sheet', () => {
  it('begins with the night in a line', async () => {
    show(<Morning />, { answers: { morning: sheet() } })
    expect(await screen.findByText(/1,200 loads done, 3 failed, 1 row rejected/)).toBeTruthy()
  })

  it('says that there is nothing to decide, and what would stand here', async () => {
    show(<Morning />, { answers: { morning: sheet() } })
    expect(await screen.findByText(/Nothing\. What fails, does not balance/)).toBeTruthy()
    expect(screen.getByText(/Jobs appear here with their runs/)).toBeTruthy()
  })

  it('offers what each decision needs', async () => {
    show(<Morning />, {
      answers: {
        morning: sheet({
          decisions: [
            decision({}),
            decision({ kind: 'not-run', title: 'Rain gauges: October is over', run: null, job: 'rain-gauges', count: 1 }),
            decision({ kind: 'drift', title: 'lab is not as it is known', run: null, connection: 'lab-post', count: 1 }),
          ],
        }),
      },
    }) // prettier-ignore
    const [failed, notRun, drift] = (await screen.findAllByRole('row')) as [
      HTMLElement,
      HTMLElement,
      HTMLElement,
    ]
    expect(within(failed).getByRole('link', { name: 'See the 3' }).getAttribute('href')).toBe(
      '/runs/9?order=failed',
    )
    expect(within(failed).getByRole('button', { name: 'Rerun' })).toBeTruthy()
    expect(within(notRun).getByRole('link', { name: 'Open the job' }).getAttribute('href')).toBe(
      '/jobs/rain-gauges',
    )
    expect(within(drift).getByRole('link', { name: 'See it' }).getAttribute('href')).toBe(
      '/catalog?flag=drifted&connection=lab-post',
    )
    expect(within(drift).queryByRole('button', { name: 'Rerun' })).toBeNull()
  })

  it('reruns what failed and goes to the new run', async () => {
    const page = show(<Morning />, {
      answers: { morning: sheet({ decisions: [decision({})] }), rerun: { run: 44 } },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun' }))
    expect(page.bodies('rerun')).toEqual([{ press: expect.any(String) as string, from: { failed: true } }])
    expect(page.address()).toBe('/runs/44')
  })

  it('says why it cannot be rerun, and stays', async () => {
    const page = show(<Morning />, {
      answers: {
        morning: sheet({ decisions: [decision({})] }),
        rerun: fault('no-loads', 'every load of run 9 is done by now'),
      },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun' }))
    expect(await screen.findByText(/every load of run 9 is done by now/)).toBeTruthy()
    expect(page.address()).toBe('/')
  })

  it('lets a reader see, and not rerun', async () => {
    show(<Morning />, { answers: { morning: sheet({ decisions: [decision({})] }) }, role: 'reader' })
    expect(await screen.findByRole('link', { name: 'See the 3' })).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Rerun' })).toBeNull()
  })

  it('draws a line for each job, each run in words for who cannot see it', async () => {
    const jobs = [
      { job: 'rain-gauges', title: 'Rain gauges', runs: [], foreseen: [{ at: '2026-11-24T06:00:00.000Z', ends: '2026-11-24T06:40:00.000Z', due: '2026-11-24T06:30:00.000Z', late: true, unknown: false }] },
      {
        job: 'gauge-readings',
        title: 'Gauge readings',
        foreseen: [],
        runs: [
          { id: 5, state: 'done' as const, from: '2026-11-24T03:00:00.000Z', to: '2026-11-24T03:02:00.000Z', rows: 4000, failed: 0, loads: 40 },
          { id: 6, state: 'running' as const, from: '2026-11-24T04:00:00.000Z', to: null, rows: 0, failed: 0, loads: 40 },
        ],
      },
    ] // prettier-ignore
    show(<Morning />, { answers: { morning: sheet({ jobs }) } })
    const done = await screen.findByLabelText(
      /Gauge readings, run 5: done, .*, 2 min, 40 loads, 4,000 rows written/,
    )
    expect(done.getAttribute('href')).toBe('/runs/5')
    const late = screen.getByLabelText(/Rain gauges, .*: likely done .*, due /)
    expect(late.getAttribute('href')).toBe('/starts')
    expect(screen.getByLabelText(/Gauge readings, run 6: running, .*, running, 40 loads/)).toBeTruthy()
  })

  it('waits, and says what it cannot have', async () => {
    show(<Morning />, { answers: { morning: never } })
    expect(await screen.findByText(/gathering the night/)).toBeTruthy()
    show(<Morning />, { answers: { morning: fault('internal', 'the store does not answer') } })
    expect(await screen.findByText(/the store does not answer/)).toBeTruthy()
  })
})
