import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { SurveyForm } from '../survey/SurveyForm'
import Nowhere from '../Nowhere'
import { plan } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import { Compared } from './Compared'
import { Forecasts } from './Forecasts'

type Compare = Answer<typeof routes.comparePlans>
const other = (id: number, more: object = {}) => ({
  id,
  version: 2,
  environment: 'dev',
  createdAt: '2026-11-23T03:00:00.000Z',
  by: 'Ana',
  span: null,
  picks: null,
  only: null,
  loads: 12,
  ...more,
})
const compared = (more: Partial<Compare> = {}): Compare => ({
  added: 0,
  gone: 0,
  changed: 0,
  same: 12,
  texts: [],
  changes: [],
  ...more,
})
const at = { at: '/plans/70', path: '/plans/:id' }
const answers = (more: Answers = {}): Answers => ({
  otherPlans: [other(69), other(68, { environment: 'live' })],
  comparePlans: compared(),
  planLoad: fault('unknown-name', 'none'),
  ...more,
})
const shown = (more: Answers = {}, address = '/plans/70') =>
  show(<Compared plan={plan()} onOpen={() => {}} />, { ...at, at: address, answers: answers(more) })

describe('two plans held against each other', () => {
  it('are this one and the last before it in the same environment', async () => {
    const page = shown({ otherPlans: [other(71), other(68, { environment: 'live' }), other(67)] })
    await screen.findByText(/Nothing differs: 12 loads in both/)
    expect(page.asked.find(({ route }) => route === 'comparePlans')!.query.with).toBe('67')
  })

  it('are this one and the one that its address names', async () => {
    const page = shown({}, '/plans/70?with=68')
    await screen.findByText(/Nothing differs/)
    expect(page.asked.find(({ route }) => route === 'comparePlans')!.query.with).toBe('68')
  })

  it('say which texts change, in how many loads, with one of them', async () => {
    const texts = [
      {
        step: 'bring-in',
        path: 'transfer.into.table',
        label: 'into table',
        before: 'raw.level',
        after: 'raw.flow',
        count: 1200,
      },
    ]
    const page = shown({ comparePlans: compared({ changed: 1200, texts: texts as Compare['texts'] }) })
    const region = await screen.findByRole('region', { name: 'texts that change' })
    expect(region.textContent).toContain('1,200')
    expect(region.textContent).toContain('bring-in · into table')
    expect(page.text()).toContain('raw.level')
    expect(page.text()).toContain('raw.flow')
  })

  it('are not there where this is the first', async () => {
    shown({ otherPlans: [] })
    expect(await screen.findByText(/This is the first plan of the job/)).toBeTruthy()
  })

  it('say what stands in the way', async () => {
    shown({ comparePlans: fault('planner', 'the planner ended while planning') })
    expect(await screen.findByText(/the planner ended while planning/)).toBeTruthy()
  })
})

describe('how long a plan will take', () => {
  it('is not known before anything of the job ran, and that is said', async () => {
    const sheet = {
      caps: { atOnce: { 0: 4 }, connections: {}, workers: 6 },
      used: [],
      asIs: null,
      others: [],
    } as never
    show(<Forecasts plan={plan()} />, { ...at, answers: { forecastPlan: sheet } })
    expect(await screen.findByText(/no load of this job has run in dev/)).toBeTruthy()
  })

  it('says what stands in the way of playing it through', async () => {
    show(<Forecasts plan={plan()} />, { ...at, answers: { forecastPlan: fault('planner', 'out of memory') } })
    expect(await screen.findByText(/out of memory/)).toBeTruthy()
  })
})

describe('beginning a survey', () => {
  const form = (more: Answers) =>
    show(<SurveyForm connection="drop" within="north" onClose={() => {}} />, { answers: more })

  it('asks where to look, a pattern a line, and goes to the survey', async () => {
    const page = form({ startSurvey: { survey: 9 } })
    await page.user.type(screen.getByLabelText(/Look only at/), '{End}{Enter}south/*.csv{Enter}')
    await page.user.type(screen.getByLabelText('Leave out'), '*.tmp')
    await page.user.type(screen.getByLabelText(/Begin the names/), 'drop_')
    await page.user.click(screen.getByRole('button', { name: 'Start' }))
    expect(page.bodies('startSurvey')).toEqual([
      {
        connection: 'drop',
        environment: 'dev',
        scope: { include: ['north', 'south/*.csv'], exclude: ['*.tmp'], prefix: 'drop_' },
      },
    ])
    expect(page.address()).toBe('/surveys/9')
  })

  it('says that another is under way, and keeps what was typed', async () => {
    const page = form({ startSurvey: fault('conflict', 'survey 8 of drop is under way') })
    await page.user.click(screen.getByRole('button', { name: 'Start' }))
    expect(await screen.findByText(/survey 8 of drop is under way/)).toBeTruthy()
    expect(screen.getByLabelText(/Look only at/)).toHaveProperty('value', 'north')
  })
})

describe('an address of nothing', () => {
  it('says so, and leads to the first page', () => {
    show(<Nowhere />)
    expect(screen.getByRole('link', { name: 'To the Morning sheet' }).getAttribute('href')).toBe('/')
  })
})
