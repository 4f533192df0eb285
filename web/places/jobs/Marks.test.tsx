import { screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { show } from '../../testing/page'
import { Marks } from './Marks'

const mark = {
  connection: 'warehouse',
  name: 'telemetry flow',
  value: '4711',
  at: '2026-11-26T04:00:00.000Z',
}
const moves = [
  { from: '4000', to: '4711', job: 'telemetry', run: 12, load: 99, by: null, why: null, at: mark.at },
  { from: null, to: '4000', job: null, run: null, load: null, by: 'Ana', why: 'cut', at: mark.at },
]

describe('the marks of a job', () => {
  it('are shown with how they moved, and set by hand with a reason only', async () => {
    const page = show(<Marks job="telemetry" />, {
      answers: { marks: [mark], markMoves: moves, setMark: {} },
    })
    expect(await screen.findByText('4711')).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'moves' }))
    const dialog = await screen.findByRole('dialog')
    expect((await within(dialog).findByRole('link', { name: 'run 12' })).getAttribute('href')).toBe(
      '/runs/12?load=99',
    )
    expect(within(dialog).getByText('cut')).toBeTruthy()
    const set = within(dialog).getByRole('button', { name: 'Set the mark' })
    const to = within(dialog).getByRole('textbox', { name: 'set it to' })
    await page.user.clear(to)
    await page.user.type(to, '4500')
    expect((set as HTMLButtonElement).disabled).toBe(true)
    await page.user.type(within(dialog).getByRole('textbox', { name: 'why' }), 'rows came late')
    await page.user.click(set)
    expect(page.bodies('setMark')).toEqual([
      { environment: 'dev', connection: 'warehouse', mark: 'telemetry flow', from: '4711', to: '4500', why: 'rows came late' },
    ]) // prettier-ignore
  })

  it('are not there where no load left one', async () => {
    const page = show(<Marks job="telemetry" />, { answers: { marks: [] } })
    await waitFor(() => expect(page.asked).toHaveLength(1))
    expect(screen.queryByText('Marks')).toBeNull()
  })
})
