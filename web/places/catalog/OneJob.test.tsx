import { fireEvent, screen, waitFor } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { connection } from '../../testing/answers'
import { fault, never, show, type Answers } from '../../testing/page'
import OneJob from './OneJob'

type Draft = Answer<typeof routes.draftOneJob>
const connections = [
  connection({ name: 'drop', kind: 'files' }),
  connection({ name: 'lab' }),
  connection({ name: 'warehouse' }),
]
const draft = (more: Partial<Draft> = {}): Draft => ({
  control: {
    columns: [
      { name: 'dataset', type: 'text' },
      { name: 'target', type: 'text' },
    ],
    key: ['dataset'],
    rows: [
      { dataset: 'readings', target: 'readings' },
      { dataset: 'rain', target: 'rain' },
    ],
  },
  document: 'job: bring-in\nsteps: []\n',
  left: [],
  ...more,
})
const open = (answers: Answers = {}, at = '/catalog/job?of=1,2,x,') =>
  show(<OneJob />, {
    at,
    path: '/catalog/job',
    answers: { connections, draftOneJob: draft(), ...answers },
  })

describe('one job for some datasets', () => {
  it('is seen whole before it is made: rows, text, and what cannot be loaded and why', async () => {
    const page = open({
      draftOneJob: draft({ left: [{ name: 'sketches', reason: 'pictures are no rows' }] }),
    })
    expect(await screen.findByText('1 dataset cannot be loaded this way:')).toBeTruthy()
    expect(page.text()).toContain('sketches: pictures are no rows')
    expect(page.text()).toContain('2 rows, each a load')
    expect(screen.getByLabelText('the job').textContent).toContain('job: bring-in')
    expect(page.bodies('draftOneJob').at(-1)).toMatchObject({
      datasets: [1, 2],
      connection: 'warehouse',
      control: 'bring_in_control',
      write: 'replace-all',
    })
  })

  it('calls its control table after the job', async () => {
    const page = open()
    await screen.findByText(/each a load/)
    fireEvent.change(screen.getByLabelText('Its name'), { target: { value: 'north-feeds' } })
    expect((screen.getByLabelText('Name of its control table') as HTMLInputElement).value).toBe(
      'north_feeds_control',
    )
    await waitFor(() =>
      expect(page.bodies('draftOneJob').at(-1)).toMatchObject({ control: 'north_feeds_control' }),
    )
  })

  it('offers databases only to load into', async () => {
    const page = open()
    await screen.findByText(/each a load/)
    screen.getByLabelText('Into').focus()
    await page.user.keyboard('{Enter}')
    expect((await screen.findAllByRole('option')).map(({ textContent }) => textContent)).toEqual([
      'lab',
      'warehouse',
    ])
  })

  it('is made once, and then is where one goes', async () => {
    const page = open({ makeOneJob: draft() })
    await page.user.click(await screen.findByLabelText('Trim every text'))
    await waitFor(() => expect(page.bodies('draftOneJob').at(-1)).toMatchObject({ trim: true }))
    await page.user.click(screen.getByRole('button', { name: 'Make it' }))
    await waitFor(() => expect(page.address()).toBe('/jobs/bring-in'))
    expect(page.bodies('makeOneJob')).toEqual([
      expect.objectContaining({ datasets: [1, 2], trim: true, atOnce: 4, schema: 'raw' }),
    ])
  })

  it('marks the field that stands in the way, and keeps what was typed', async () => {
    const page = open({
      makeOneJob: fault('request', 'there is a job "bring-in" already', { path: 'job' }),
    })
    await screen.findByText(/each a load/)
    await page.user.click(screen.getByRole('button', { name: 'Make it' }))
    await screen.findByText(/there is a job "bring-in" already/)
    expect(screen.getByLabelText('Its name').getAttribute('aria-invalid')).toBe('true')
    await page.user.type(screen.getByLabelText('Its name'), '-2')
    expect(screen.queryByText(/there is a job "bring-in" already/)).toBeNull()
    expect((screen.getByLabelText('Its name') as HTMLInputElement).value).toBe('bring-in-2')
  })

  it('cannot be made where nothing can be loaded', async () => {
    const nothing = draft({ left: [{ name: 'a', reason: 'it is gone' }] })
    open({ draftOneJob: { ...nothing, control: { ...nothing.control, rows: [] } } })
    await screen.findByText(/cannot be loaded this way/)
    expect((screen.getByRole('button', { name: 'Make it' }) as HTMLButtonElement).disabled).toBe(true)
  })

  it('says that it is being worked out, and where to pick if nothing was picked', async () => {
    open({ draftOneJob: never })
    expect(await screen.findByText(/working it out/)).toBeTruthy()
    open({}, '/catalog/job?of=')
    expect(await screen.findByText(/Pick datasets in the/)).toBeTruthy()
  })
})
