import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { load, loadDetail, run, stepDetail } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import { logOf } from './LoadLog'
import Run from './Run'

const at = { at: '/runs/7', path: '/runs/:id' }
const counted = { loads: 12, broken: 0, written: 1200, found: 1200 }
const answers = (more: Answers = {}): Answers => ({
  run: run(),
  runLoads: { total: 1, loads: [load()] },
  runLoad: loadDetail({ detail: [stepDetail()] }),
  verifyRun: { run: 7, holds: true, loads: [], counted },
  ...more,
})

describe('the proof of a run', () => {
  it('is taken out as a document, and counted again by who may', async () => {
    const page = show(<Run />, { ...at, answers: answers() })
    const link = await screen.findByRole('link', { name: 'proof as JSON' })
    expect(link.getAttribute('href')).toBe('/api/runs/7/proof')
    await page.user.click(screen.getByRole('button', { name: 'count again' }))
    const found = await screen.findByRole('region', { name: 'counted again' })
    expect(found.textContent).toContain(
      '✓ 12 loads are as they were left1,200 of 1,200 written rows are in their tables',
    )
  })

  it('names the loads that are not as they were left, and why', async () => {
    const loads = [{ key: 'corrie', holds: false, written: 100, found: 98, why: 'bring-in: 2 of 100 rows are not as they were left' }] // prettier-ignore
    const page = show(<Run />, {
      ...at,
      answers: answers({
        verifyRun: { run: 7, holds: false, loads, counted: { ...counted, broken: 1, found: 1198 } },
      }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'count again' }))
    const found = await screen.findByRole('region', { name: 'counted again' })
    expect(within(found).getByRole('status').textContent).toBe('✗ 1 of 12 loads is not as it was left')
    expect(within(found).getByText('corrie').closest('tr')!.textContent).toContain(
      '10098bring-in: 2 of 100 rows',
    )
  })

  it('says why nobody could look', async () => {
    const page = show(<Run />, {
      ...at,
      answers: answers({ verifyRun: fault('unknown-name', 'there is no run 7') }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'count again' }))
    expect(await screen.findByText(/there is no run 7/)).toBeTruthy()
  })

  it('offers a reader the document, and no counting', async () => {
    show(<Run />, { ...at, role: 'reader', answers: answers() })
    await screen.findByRole('link', { name: 'proof as JSON' })
    expect(screen.queryByRole('button', { name: 'count again' })).toBeNull()
  })
})

describe('the log of a load', () => {
  const detail = loadDetail({
    attempts: [{ attempt: 1, worker: 3, host: 'quay', takenAt: null, endedAt: '2026-11-24T03:10:02.000Z', why: 'its worker ended' }],
    detail: [
      stepDetail({
        tries: [{ code: '08006', message: 'the connection was lost', at: '2026-11-24T03:10:03.000Z', milliseconds: 900 }],
        statements: [{ on: 'warehouse', text: 'insert into raw.reading select 1', milliseconds: 12, rows: 100, error: 'no room' }],
        log: ['one pass over the file'],
      }),
    ],
  }) // prettier-ignore

  it('has a line for all that is known: attempts, tries, statements with their fault, files, words', () => {
    expect(logOf(detail).map(({ what }) => what)).toEqual([
      'attempt 1', 'began', 'from files', 'tried again', 'on warehouse', 'on warehouse', 'log', 'done',
    ]) // prettier-ignore
  })

  it('is searched: every word must be in a line, and is marked there', async () => {
    const page = show(<Run />, { ...at, answers: answers({ runLoad: detail }) })
    await page.user.click(await screen.findByRole('tab', { name: 'log' }))
    const log = await screen.findByRole('region', { name: 'log' })
    await page.user.type(within(log).getByLabelText('find in the log'), 'WAREHOUSE raw.')
    expect(within(log).getByRole('status').textContent).toBe('1 of 8 lines')
    expect(within(log).getByText('raw.', { selector: 'mark' })).toBeTruthy()
    await page.user.type(within(log).getByLabelText('find in the log'), 'nowhere')
    expect(within(log).getByText('No line has all of that.')).toBeTruthy()
  })

  it('shows which attempts came to no end, and what a rerun kept', async () => {
    const kept = stepDetail({ keptFrom: { run: 5, load: 77 } })
    show(<Run />, { ...at, answers: answers({ runLoad: { ...detail, detail: [kept] } }) })
    const chosen = await screen.findByRole('region', { name: 'the chosen load' })
    expect(await within(chosen).findByText(/attempt 1 on worker 3 of quay: its worker ended/)).toBeTruthy()
    expect(within(chosen).getByRole('link', { name: 'run 5' }).getAttribute('href')).toBe('/runs/5?load=77')
  })
})
