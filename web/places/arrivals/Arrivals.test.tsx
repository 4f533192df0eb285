import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, never, show, type Answers } from '../../testing/page'
import Arrivals from './Arrivals'
import { feedsFor, sliceFor } from './UseSlip'
import { habitWords, type Arrival, type Arrivals as Answered } from './words'

const day = 86_400_000
const today = Math.floor(Date.now() / day) * day
const iso = (daysAgo: number) => new Date(today - daysAgo * day).toISOString()
const slice = (ago: number) => ({ from: iso(ago + 1), to: iso(ago), label: iso(ago + 1).slice(0, 10) })
const arrival = (row: string, more: Partial<Arrival> = {}): Arrival => ({
  job: 'gauges', title: 'Gauge readings', part: 'bring', row, slice: slice(0), store: 'drop', name: `${row}_*.csv`, due: iso(-0.2), by: 'control', came: null, files: [], state: 'expected', habit: null, answer: null, ...more,
}) // prettier-ignore
const arrivals = (more: Partial<Answered> = {}): Answered => ({
  at: iso(-0.45),
  jobs: [{ job: 'gauges', title: 'Gauge readings', zone: 'UTC', slices: [slice(2), slice(1), slice(0)], feeds: [{ part: 'bring', row: 'flow_a', letters: 'LAH', overdue: 0, habit: null }, { part: 'bring', row: "o'hare", letters: 'ZMT', overdue: 2, habit: null }], without: null }],
  newest: [
    arrival('flow_b', { due: iso(-0.3) }),
    arrival('flow_a', { state: 'here', came: iso(-0.1), files: [{ path: 'in/flow_a_1.csv', size: 51_000 }], habit: { median: 18_000, late: 19_800, known: 30 } }),
    arrival("o'hare", { state: 'late', due: iso(0) }),
  ],
  strays: [
    { store: 'drop', path: 'in/flow_c_1.csv', size: 12, modified: iso(1), count: 47, nearest: { job: 'gauges', row: 'flow_a', name: 'flow_a_*.csv' }, proposed: { feed: 'flow_c', meters: 3 }, control: 'feed_control' },
    { store: 'drop', path: 'photo.png', size: 12, modified: iso(1), count: 1, nearest: null, proposed: null, control: null },
  ],
  ...more,
}) // prettier-ignore
const open = async (answers: Answers = {}, more: { role?: 'reader'; at?: string } = {}) => {
  const page = show(<Arrivals />, { answers: { arrivals: arrivals(), builtOn: { jobs: [] }, ...answers }, path: '/', ...more }) // prettier-ignore
  if (answers.arrivals !== never) await screen.findByRole('heading', { name: 'Arrivals' })
  return page
}
const rows = () =>
  within(screen.getByRole('grid'))
    .getAllByRole('row')
    .slice(1)
    .map(({ textContent }) => textContent)

describe('the page of arrivals', () => {
  it('lists what is due first, with how late it is, what came and when it usually does', async () => {
    await open()
    expect(screen.getByText(/1 late or missing/)).toBeTruthy()
    const [first, second, third] = rows()
    expect(first).toMatch(/late.*ago.*o'hare/)
    expect(second).toContain('in/flow_a_1.csv')
    expect(second).toContain('by 05:30')
    expect(third).toContain('flow_b_*.csv')
    expect(screen.getByRole('link', { name: 'in/flow_a_1.csv' }).getAttribute('href')).toBe('/connections/drop?path=in&rows=in%2Fflow_a_1.csv') // prettier-ignore
  })
  it('shows only what is late or missing, and says where nothing is', async () => {
    const page = await open()
    await page.user.click(screen.getByRole('checkbox', { name: 'only what is late or missing' }))
    expect(rows()).toHaveLength(1)
    expect(page.address()).toBe('/?overdue=only')
  })
  it('says that nothing is late or missing', async () => {
    await open({ arrivals: arrivals({ newest: [arrival('flow_a')] }) }, { at: '/?overdue=only' })
    expect(screen.getByText('Nothing is late or missing.')).toBeTruthy()
  })
  it('plans the load of a file that came', async () => {
    const page = await open({ makePlan: { id: 9 } })
    await page.user.click(screen.getByRole('button', { name: 'Plan it' }))
    await screen.findByText('another page')
    expect(page.address()).toBe('/plans/9')
    expect(page.bodies('makePlan')).toEqual([{ job: 'gauges', environment: 'dev', picks: [{ part: 'bring', row: 'flow_a', from: iso(1), to: iso(0) }] }]) // prettier-ignore
  })
  it('draws every feed along the days, each slice in words, and picks a stretch of them', async () => {
    await open({}, { at: '/?view=feeds' })
    expect(screen.getByRole('img', { name: "o'hare: 2 slices late or missing" })).toBeTruthy()
    const key = (name: string, more = {}) =>
      fireEvent.keyDown(screen.getByRole('grid'), { key: name, ...more })
    key('n')
    expect(screen.getByRole('gridcell').getAttribute('aria-label')).toBe(`o'hare, ${iso(2).slice(0, 10)}: missing`) // prettier-ignore
    expect(screen.getByRole('region', { name: 'the file' }).textContent).toContain('missing')
    key('ArrowUp')
    expect(screen.getByRole('gridcell').getAttribute('aria-label')).toContain('flow_a')
    key('ArrowRight', { shiftKey: true })
    expect(screen.getByRole('button', { name: 'Plan 2 loads' })).toBeTruthy()
  })
  it('has files that nobody expects, with what they are most like, and a row that would expect them', async () => {
    await open({}, { at: '/?view=strays' })
    const [first, second] = rows()
    expect(first).toContain('flow_c_1.csv47')
    expect(screen.getByRole('link', { name: 'flow_c' }).getAttribute('href')).toBe('/control/feed_control')
    expect(second).toContain('nothing')
  })
  it('says why a job is not there, what it is for, and that it looks', async () => {
    await open({ arrivals: arrivals({ jobs: [{ job: 'lost', title: 'Lost', zone: 'UTC', slices: [], feeds: [], without: 'the folder is away' }], newest: [] }) }) // prettier-ignore
    expect(screen.getByText(/the folder is away/)).toBeTruthy()
    expect(screen.getByText(/Nothing is expected for the newest slices/)).toBeTruthy()
  })
  it('says what it is for where no job expects files', async () => {
    await open({ arrivals: arrivals({ jobs: [], newest: [], strays: [] }) })
    expect(screen.getByText(/No job reads files for its slices yet/)).toBeTruthy()
  })
  it('says that it looks, and what went wrong', async () => {
    await open({ arrivals: never })
    expect(screen.getByText(/looking for files/)).toBeTruthy()
  })
  it('says what went wrong with a plan, and offers none to who may only look', async () => {
    const page = await open({ makePlan: fault('roster', 'its rows cannot be read') })
    await page.user.click(screen.getByRole('button', { name: 'Plan it' }))
    expect(await screen.findByText(/its rows cannot be read/)).toBeTruthy()
  })
  it('is only looked at by who may only look', async () => {
    await open({}, { role: 'reader' })
    expect(screen.queryByRole('button', { name: 'Plan it' })).toBeNull()
  })
  it('takes an answer for a file that did not come, and takes it back', async () => {
    const answer = { kind: 'never', from: iso(3), until: null, file: null, replaces: null, why: 'its gauge is gone', by: 'T. Holm', at: iso(2) } as const // prettier-ignore
    const page = await open({
      answerArrival: {},
      dropArrivalAnswer: {},
      arrivals: arrivals({ newest: [arrival("o'hare", { state: 'late', due: iso(0) }), arrival('gone', { state: 'unasked', answer })] }),
    }) // prettier-ignore
    await page.user.click(screen.getByRole('button', { name: 'Answer' }))
    await page.user.type(await screen.findByRole('textbox', { name: 'why' }), 'the mast fell')
    await page.user.click(screen.getByRole('button', { name: 'Keep' }))
    expect(page.bodies('answerArrival')).toEqual([{ environment: 'dev', job: 'gauges', part: 'bring', row: "o'hare", from: iso(1), kind: 'without', why: 'the mast fell' }]) // prettier-ignore
    await page.user.click(await screen.findByRole('button', { name: 'Said' }))
    expect(screen.getByText(/its gauge is gone/)).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Take it back' }))
    // it was said of an earlier slice
    expect(page.bodies('dropArrivalAnswer')).toMatchObject([{ row: 'gone', from: iso(3) }])
  })
  it('takes a file that was unexpected for one that lacks, by the slice that its name speaks of, and goes on to the plan', async () => {
    const named = `in/flow C ${slice(1).label}.csv`
    const stray = { ...arrivals().strays[0]!, path: named, nearest: { job: 'gauges', row: "o'hare", name: "o'hare_*.csv" } }
    const page = await open({ answerArrival: {}, makePlan: { id: 12 }, arrivals: arrivals({ strays: [stray] }) }, { at: '/?view=strays' })
    await page.user.click(screen.getByRole('button', { name: 'Take it for' }))
    const plan = await screen.findByRole('button', { name: 'Keep, and plan it' })
    expect((plan as HTMLButtonElement).disabled).toBe(true)
    await page.user.type(screen.getByRole('textbox', { name: 'why' }), 'sent by mail')
    await page.user.click(plan)
    await waitFor(() => expect(page.bodies('makePlan')).toMatchObject([{ job: 'gauges', picks: [{ part: 'bring', row: "o'hare", from: iso(2), to: iso(1) }] }]))
    expect(page.bodies('answerArrival')).toEqual([{ environment: 'dev', job: 'gauges', part: 'bring', row: "o'hare", from: iso(2), kind: 'instead', file: named, why: 'sent by mail' }])
    await waitFor(() => expect(page.address()).toBe('/plans/12'))
  }) // prettier-ignore
  it('takes the newest slice that lacks its file where a name speaks of none', () => {
    const [feed] = feedsFor(arrivals(), { ...arrivals().strays[0]!, nearest: { job: 'gauges', row: "o'hare", name: '' } })
    expect(feed!.row).toBe("o'hare")
    expect(sliceFor(feed!, 'in/by hand.csv')).toBe(iso(1))
    // a row whose files lie elsewhere is not offered
    expect(feedsFor(arrivals(), { ...arrivals().strays[0]!, store: 'elsewhere' })).toEqual([])
  }) // prettier-ignore
  it('says which file is taken in place of which, and lets it be taken back', async () => {
    const answer = { kind: 'instead', from: iso(1), until: null, file: 'in/by hand.csv', replaces: 'flow_a_1.csv', why: 'sent by mail', by: 'T. Holm', at: iso(0) } as const
    const page = await open({ dropArrivalAnswer: {}, arrivals: arrivals({ newest: [arrival('flow_a', { state: 'here', name: 'in/by hand.csv', files: [{ path: 'in/by hand.csv', size: 9 }], answer })] }) })
    expect(rows()[0]).toContain('here, instead')
    await page.user.click(screen.getByRole('button', { name: 'Said' }))
    expect(screen.getByText('flow_a_1.csv')).toBeTruthy()
    await page.user.click(await screen.findByRole('button', { name: 'Take it back' }))
    expect(page.bodies('dropArrivalAnswer')).toMatchObject([{ row: 'flow_a', from: iso(1) }])
  }) // prettier-ignore
  it('offers unexpected files of its store where one lacks', async () => {
    const page = await open({ answerArrival: {} })
    await page.user.click(screen.getAllByRole('button', { name: 'Answer' })[0]!)
    await page.user.click(await screen.findByRole('combobox', { name: 'what is said' }))
    await page.user.click(await screen.findByRole('option', { name: 'another file is taken' }))
    await page.user.click(screen.getByRole('combobox', { name: 'file' }))
    await page.user.click(await screen.findByRole('option', { name: /in\/flow_c_1\.csv/ }))
    await page.user.type(screen.getByRole('textbox', { name: 'why' }), 'it was renamed')
    await page.user.click(screen.getByRole('button', { name: 'Keep' }))
    expect(page.bodies('answerArrival')).toEqual([{ environment: 'dev', job: 'gauges', part: 'bring', row: "o'hare", from: iso(1), kind: 'instead', file: 'in/flow_c_1.csv', replaces: "o'hare_*.csv", why: 'it was renamed' }])
  }) // prettier-ignore
  it('says a habit by the clock of the job', () => {
    expect(habitWords({ median: 17_400, late: 19_800, known: 9 }, '2026-11-25T23:00:00Z', 'Europe/Oslo')).toBe('04:50, nine of ten by 05:30') // prettier-ignore
    expect(habitWords(null, '2026-11-25T23:00:00Z', 'UTC')).toBe('')
  })
})
