import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { show, type Answers } from '../../testing/page'
import Survey from './Survey'

type SurveyAnswer = Answer<typeof routes.survey>
type Proposal = Answer<typeof routes.surveyProposals>['proposals'][number]
const at = { at: '/surveys/4', path: '/surveys/:id' }
const survey = (more: Partial<SurveyAnswer> = {}): SurveyAnswer => ({
  id: 4,
  environment: 'dev',
  connection: 'gauge-drop',
  scope: { include: [], exclude: [], prefix: '' },
  state: 'done',
  stopping: false,
  by: 'Ana',
  createdAt: '2026-11-24T04:50:00.000Z',
  startedAt: '2026-11-24T04:50:01.000Z',
  endedAt: '2026-11-24T04:50:11.000Z',
  progress: { seen: 2000, total: 2000, reused: 1990, bytes: 54_000_000 },
  strays: [{ path: 'site-photo.png', reason: 'an image' }],
  same: 3,
  fault: null,
  proposals: { new: 2, changed: 0, gone: 1, open: 3 },
  ...more,
})
const proposal = (number: number, kind: Proposal['kind'], name: string): Proposal =>
  ({ number, kind, datasetId: null, found: null, change: null, decided: null, known: name }) as Proposal
const answers = (more: Answers = {}): Answers => ({
  survey: survey(),
  surveyProposals: { total: 3, proposals: [proposal(0, 'gone', 'old.csv'), proposal(1, 'new', 'flow'), proposal(2, 'new', 'level')] },
  ...more,
}) // prettier-ignore

describe('a survey', () => {
  it('says how far it is, how fast, and how long it still takes', async () => {
    const running = survey({
      state: 'running',
      endedAt: null,
      startedAt: '2026-11-24T04:59:50.000Z',
      progress: { seen: 500, total: 2000, reused: 0, bytes: 13_000_000 },
    })
    show(<Survey />, { ...at, answers: answers({ survey: running }) })
    expect(
      await screen.findByText('500 of 2,000 looked at · 50 a second · 13 MB read · some 30 s left'),
    ).toBeTruthy()
  })

  it('waits for a worker, and says so', async () => {
    const waiting = survey({ state: 'waiting', startedAt: null, endedAt: null, progress: null })
    show(<Survey />, { ...at, answers: answers({ survey: waiting }) })
    expect(await screen.findByText('waiting for a worker')).toBeTruthy()
  })

  it('shows what it would change, and changes nothing until it is told', async () => {
    const page = show(<Survey />, { ...at, answers: answers() })
    expect(await screen.findByText('flow')).toBeTruthy()
    expect(page.text()).toContain(
      '2 new, 1 gone, 3 as known, 1 stray · 2,000 looked at, 1,990 of them as they were, in 10 s',
    )
    expect(page.bodies('decideProposals')).toEqual([])
  })

  it('accepts all, or those that are picked, or leaves them', async () => {
    const page = show(<Survey />, { ...at, answers: answers({ decideProposals: { decided: 1 } }) })
    await page.user.click(await screen.findByRole('button', { name: 'Accept all 3' }))
    await page.user.click(await screen.findByLabelText('pick flow'))
    await page.user.click(await screen.findByRole('button', { name: 'Accept 1' }))
    await page.user.click(await screen.findByLabelText('pick old.csv'))
    await page.user.click(await screen.findByRole('button', { name: 'Leave 1' }))
    expect(page.bodies('decideProposals')).toEqual([
      { decision: 'accept' },
      { decision: 'accept', numbers: [1] },
      { decision: 'leave', numbers: [0] },
    ])
  })

  it('has its strays with their reasons', async () => {
    const page = show(<Survey />, { ...at, answers: answers() })
    await page.user.click(await screen.findByRole('tab', { name: 'strays 1' }))
    expect(await screen.findByText('site-photo.png')).toBeTruthy()
    expect(screen.getByText('an image')).toBeTruthy()
  })

  it('that was broken off can go on from where it was', async () => {
    const stopped = survey({ state: 'stopped', proposals: { new: 0, changed: 0, gone: 0, open: 0 } })
    const page = show(<Survey />, {
      ...at,
      answers: answers({ survey: stopped, surveyProposals: { total: 0, proposals: [] }, resumeSurvey: {} }),
    })
    expect(await screen.findByText(/It was broken off before it knew/)).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Go on from where it was' }))
    expect(page.bodies('resumeSurvey')).toHaveLength(1)
  })

  it('that found all as it is known says that', async () => {
    const same = survey({ proposals: { new: 0, changed: 0, gone: 0, open: 0 } })
    show(<Survey />, {
      ...at,
      answers: answers({ survey: same, surveyProposals: { total: 0, proposals: [] } }),
    })
    expect(await screen.findByText(/Nothing would change/)).toBeTruthy()
  })

  it('is decided by who may change things', async () => {
    show(<Survey />, { ...at, role: 'reader', answers: answers() })
    const grid = await screen.findByRole('grid')
    expect(await within(grid).findByText('flow')).toBeTruthy()
    expect(screen.queryByRole('button', { name: /Accept|Leave/ })).toBeNull()
  })
})
