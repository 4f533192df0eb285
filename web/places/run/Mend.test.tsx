import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { loadDetail, run } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import Mend from './Mend'

const at = { at: '/runs/7/loads/501/mend?step=bring-in', path: '/runs/:id/loads/:load/mend' }
const row = (place: number, more: Partial<Answer<typeof routes.toMend>['rows'][number]> = {}) => ({
  at: place,
  file: 'a.csv',
  line: place + 3,
  column: 'value',
  reason: 'value "x7" does not fit integer',
  raw: 'M-2,x7',
  values: ['M-2', 'x7'],
  beyond: [],
  ...more,
})
const found = (more: Partial<Answer<typeof routes.toMend>> = {}): Answer<typeof routes.toMend> => ({
  columns: ['meter', 'value'],
  total: 2,
  left: 2,
  rows: [row(0), row(1, { values: ['M-3', null], reason: 'value: is missing' })],
  runs: [],
  cannot: null,
  ...more,
})
const answers = (more: Answers = {}): Answers => ({
  run: run(),
  runLoad: loadDetail(),
  toMend: found(),
  mend: { run: 12 },
  ...more,
})

describe('mending rejected rows', () => {
  it('brings in just the rows that were changed; a cell that was not touched keeps its very value', async () => {
    const page = show(<Mend />, { ...at, answers: answers() })
    const button = await screen.findByRole('button', { name: 'Bring in' })
    expect(button).toHaveProperty('disabled', true)
    await page.user.click(screen.getByRole('button', { name: 'Find and replace' }))
    const form = screen.getByRole('form', { name: 'find and replace' })
    await page.user.type(within(form).getByLabelText('find'), 'x7')
    await page.user.type(within(form).getByLabelText('put in its place'), '7')
    await page.user.click(within(form).getByRole('button', { name: 'Replace in 1 cell' }))
    await page.user.click(screen.getByRole('button', { name: 'Bring in 1 row' }))
    expect(page.bodies('mend')).toEqual([
      { step: 'bring-in', rows: [{ at: 0, values: ['M-2', '7'] }], press: expect.any(String) as string },
    ])
    expect(page.address()).toBe('/runs/12')
  })

  it('brings in all of them where that is wanted, nothing where there was nothing', async () => {
    const page = show(<Mend />, { ...at, answers: answers() })
    await page.user.click(await screen.findByRole('button', { name: 'All 2, changed or not' }))
    await page.user.click(screen.getByRole('button', { name: 'Bring in 2 rows' }))
    expect(page.bodies('mend')).toMatchObject([
      {
        rows: [
          { at: 0, values: ['M-2', 'x7'] },
          { at: 1, values: ['M-3', null] },
        ],
      },
    ])
  })

  it('says which runs brought rows in, and what cannot be taken apart', async () => {
    const runs = [{ run: 9, state: 'done' as const, by: 'Ben', rows: 3, at: '2026-11-24T03:10:02.000Z' }]
    show(<Mend />, { ...at, answers: answers({ toMend: found({ total: 6, left: 3, rows: [row(0), row(1, { values: null })], runs }) }) }) // prettier-ignore
    expect((await screen.findByRole('link', { name: 'run 9' })).getAttribute('href')).toBe('/runs/9')
    expect(screen.getByText(/3 of 6 are to be mended/).textContent).toContain('1 row cannot be taken apart')
  })

  it('says why they cannot be brought in, and offers nothing then', async () => {
    show(<Mend />, { ...at, answers: answers({ toMend: found({ cannot: 'it writes a file' }) }) })
    expect((await screen.findByRole('note')).textContent).toBe(
      'These rows cannot be brought in: it writes a file.',
    )
    expect(screen.queryByRole('button', { name: /Bring in/ })).toBeNull()
  })

  it('stays, with what was typed, where the server refuses', async () => {
    const page = show(<Mend />, {
      ...at,
      answers: answers({ mend: fault('mend', 'some of these rows are brought in by run 9 of Ben') }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'All 2, changed or not' }))
    await page.user.click(screen.getByRole('button', { name: 'Bring in 2 rows' }))
    expect(await screen.findByText(/some of these rows are brought in by run 9/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Bring in 2 rows' })).toBeTruthy()
  })
})
