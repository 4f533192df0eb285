import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { noRows } from '../../testing/answers'
import { show, type Answers } from '../../testing/page'
import Try from './Try'

type TryAnswer = Answer<typeof routes.try>
type Step = TryAnswer['loads'][number]['steps'][number]
const at = { at: '/tries/4', path: '/tries/:id' }
const step = (more: Partial<Step> = {}): Step => ({
  position: 0,
  step: 'bring-in',
  title: 'bring-in',
  kind: 'transfer',
  hold: false,
  state: 'done',
  milliseconds: 350,
  counts: { ...noRows, read: 144, written: 144 },
  rejectReasons: {},
  error: null,
  flow: null,
  tables: [],
  ...more,
} as Step) // prettier-ignore
const tried = (more: Partial<TryAnswer> = {}): TryAnswer => ({
  id: 4,
  job: 'readings',
  title: 'Readings',
  environment: 'dev',
  state: 'done',
  by: 'Ana',
  createdAt: '2026-11-24T04:00:00.000Z',
  endedAt: '2026-11-24T04:00:01.000Z',
  rows: ['north'],
  slice: null,
  ask: { part: 0, rows: ['north'], holds: [], parameters: {} },
  parameters: { region: 'north' },
  zone: 'UTC',
  fault: null,
  clearedAt: null,
  scratch: { schema: 'mattock_try_4', connections: ['warehouse'], files: false },
  saved: true,
  loads: [{ key: 'north', part: 0, steps: [step(), step({ position: 1, step: 'count', title: 'count', kind: 'sql' })] }],
  ...more,
} as TryAnswer) // prettier-ignore
const answers = (more: Answers = {}): Answers => ({
  try: tried(),
  tryStep: { looks: [], statements: [], files: [], log: ['works on a copy'], resolved: [] },
  ...more,
})

describe('a try', () => {
  it('says with what it was tried, and where it wrote', async () => {
    const page = show(<Try />, { ...at, answers: answers() })
    expect(await screen.findByText('works on a copy')).toBeTruthy()
    expect(page.text()).toContain(
      'with region north · wrote into schema mattock_try_4 of warehouse, kept for a day',
    )
  })

  it('leads back to the text that was tried, saved or not', async () => {
    show(<Try />, { ...at, answers: answers() })
    expect((await screen.findByRole('link', { name: 'Readings' })).getAttribute('href')).toBe(
      '/jobs/readings',
    )
    expect(screen.queryByRole('link', { name: 'go on editing it' })).toBeNull()
    show(<Try />, { ...at, answers: answers({ try: tried({ saved: false }) }) })
    const link = await screen.findByRole('link', { name: 'go on editing it' })
    expect(link.getAttribute('href')).toBe('/jobs/readings?from=4')
    expect(screen.getByRole('link', { name: 'Readings' }).getAttribute('href')).toBe('/jobs/readings?from=4')
  })

  it('goes on from where it is held, by g', async () => {
    const page = show(<Try />, { ...at, answers: answers({ try: tried({ state: 'held' }), goOnTry: {} }) })
    await screen.findByRole('button', { name: 'Go on' })
    await page.user.keyboard('g')
    expect(page.bodies('goOnTry')).toHaveLength(1)
  })

  it('is tried again as it was, by t, with the same text', async () => {
    const page = show(<Try />, {
      ...at,
      answers: answers({ tryDocument: { text: 'mattock: job/1' }, startTry: { id: 5 } }),
    })
    await screen.findByRole('button', { name: 'Try the same again' })
    await page.user.keyboard('t')
    await screen.findByText('another page').catch(() => undefined)
    expect(page.bodies('startTry')).toEqual([
      { part: 0, rows: ['north'], holds: [], parameters: {}, text: 'mattock: job/1', environment: 'dev' },
    ])
  })

  it('moves along its steps by j and k', async () => {
    const page = show(<Try />, { ...at, answers: answers() })
    await screen.findByText('works on a copy')
    await page.user.keyboard('k')
    expect(page.asked.filter(({ route }) => route === 'tryStep').at(-1)!.params.position).toBe('0')
  })

  it('is a reader’s to look at', async () => {
    show(<Try />, { ...at, role: 'reader', answers: answers() })
    await screen.findByText('works on a copy')
    expect(screen.queryByRole('button', { name: /again|Go on|Stop|take it away/ })).toBeNull()
  })

  it('that lost its worker says so', async () => {
    show(<Try />, {
      ...at,
      answers: answers({ try: tried({ state: 'failed', fault: 'the worker that ran it ended' }) }),
    })
    expect(await screen.findByText(/the worker that ran it ended/)).toBeTruthy()
  })
})
