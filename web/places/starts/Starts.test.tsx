import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, never, show, type Answers } from '../../testing/page'
import type { ForeseenRun, Outlook } from './answers'
import Starts from './Starts'

const at = new Date()
at.setMinutes(0, 0, 0)
const hours = (n: number): string => new Date(at.getTime() + n * 3_600_000).toISOString()

const run = (job: string, more: Partial<ForeseenRun>): ForeseenRun => ({
  job,
  start: 'day',
  label: null,
  at: hours(2),
  begins: hours(2),
  ends: hours(2.5),
  low: hours(2.4),
  high: hours(2.6),
  after: [],
  unknown: false,
  run: null,
  refused: false,
  stuck: null,
  givesUp: null,
  due: null,
  ...more,
})
const start = (id: string, more: Partial<Outlook['jobs'][number]['starts'][number]> = {}) => ({
  id,
  kind: 'clock',
  moves: true,
  given: { cron: `0 ${new Date(hours(2)).getUTCHours()} * * *`, zone: 'UTC' },
  text: 'at some hour',
  zone: 'UTC',
  next: hours(2),
  waitsFor: [],
  pause: null,
  ...more,
})
const outlook = (more: Partial<Outlook> = {}): Outlook => ({
  at: hours(0),
  workers: 6,
  jobs: [
    { job: 'gauges', title: 'Gauge readings', zone: 'UTC', due: '08:00', starts: [start('day')] },
    { job: 'report', title: 'Zone report', zone: 'UTC', due: null, starts: [start('then', { kind: 'refreshed', moves: false, given: {}, text: 'when all that it reads were refreshed', next: null, waitsFor: ['warehouse.raw.flow'] })] },
  ],
  foreseen: [run('gauges', { due: hours(3) }), run('report', { start: 'then', at: hours(2.5), ends: hours(2.7), after: [0] })],
  held: [],
  busy: [{ at: hours(2), loads: 4 }, { at: hours(2.7), loads: 0 }],
  crowded: [],
  capped: [],
  caps: [{ connection: 'warehouse', cap: 8 }],
  past: [{ run: 9, job: 'gauges', state: 'failed', start: 'day', from: hours(-1), to: hours(-0.5) }],
  pauses: [],
  lag: { starts: 12, median: 0.3, most: 1.2 },
  ...more,
}) // prettier-ignore
const open = (answers: Answers, more: Parameters<typeof show>[1] extends infer P ? Partial<P> : never = {}) =>
  show(<Starts />, { answers: { starts: outlook(), ...answers }, ...more })

describe('the page of starts', () => {
  it('draws what was and what will be, each in words, and what waits for what', async () => {
    open({})
    expect(await screen.findByLabelText(/^Gauge readings, run 9: failed, .*, 30 min$/)).toBeTruthy()
    expect(screen.getByLabelText(/^Gauge readings, .*: likely done .*, after 30 min, due .*; Alt and an arrow move it/)).toBeTruthy()
    expect(screen.getByLabelText(/^Zone report, .*: likely done .*, after 12 min$/)).toBeTruthy()
    expect(screen.getByText(/begun 300 ms after their time, at most 1.2 s \(12 starts of the last day\)/)).toBeTruthy()
    expect(screen.getByLabelText('loads at once, at most 6 of 6 places')).toBeTruthy()
  })
  it('says of a job what it waits for, and which run is likely to bring it', async () => {
    const { user } = open({})
    await user.click(await screen.findByRole('button', { name: 'Zone report' }))
    const panel = screen.getByRole('region', { name: 'starts of Zone report' })
    expect(within(panel).getByText(/last comes Gauge readings, about/)).toBeTruthy()
    expect(within(panel).getByRole('link', { name: 'the job' }).getAttribute('href')).toBe('/jobs/report?at=starts')
  })
  it('plays the night through with a start that was moved by keys, and saves it in the job', async () => {
    const text = `mattock: job/1\nname: gauges\ntitle: Gauge readings\nstarts:\n  - { id: day, clock: { cron: '0 ${new Date(hours(2)).getUTCHours()} * * *', zone: UTC } }\nparts: []\n`
    const { bodies } = open({
      playStarts: ({ body }) => ({ ...outlook(), foreseen: [run('gauges', { at: hours(2 + 1 / 12), ends: hours(3.2), due: hours(3) })], ...(body as object) }) as never,
      job: { name: 'gauges', text, version: 4, newest: 4, savedAt: hours(-9), savedBy: 'ana', message: '', versions: [], runsIn: [], newestSlice: null, outline: { name: 'gauges', title: 'Gauge readings', note: null, slices: null, due: null, starts: [], parameters: [], parts: [] } },
      saveJob: { version: 5, stays: [] },
    })
    fireEvent.keyDown(await screen.findByLabelText(/^Gauge readings, .*Alt and an arrow/), { key: 'ArrowRight', altKey: true })
    expect(await screen.findByText(/would then be late/)).toBeTruthy()
    expect(bodies('playStarts')[0]).toMatchObject({ moved: [{ job: 'gauges', start: 'day', given: { cron: `5 ${new Date(hours(2)).getUTCHours()} * * *`, zone: 'UTC' } }] })
    fireEvent.click(screen.getByRole('button', { name: 'Save it' }))
    await screen.findByText(/starts at .* from now on/)
    const [saved] = bodies('saveJob') as { text: string; base: number }[]
    expect(saved).toMatchObject({ base: 4 })
    expect(saved!.text).toContain(`cron: "5 ${new Date(hours(2)).getUTCHours()} * * *"`)
  })
  it('says why a start cannot be moved there', async () => {
    open({ starts: outlook({ jobs: [{ ...outlook().jobs[0]!, starts: [start('day', { given: { cron: '*/15 * * * *' } })] }] }) })
    fireEvent.keyDown(await screen.findByLabelText(/Alt and an arrow/), { key: 'ArrowLeft', altKey: true })
    expect(await screen.findByText(/cannot be moved there/)).toBeTruthy()
  })
  it('pauses with a reason, and lets it go on', async () => {
    const pause = { id: 3, environment: 'dev', job: null, start: null, from: hours(-2), until: null, why: 'the year ends', by: 'ana', endedBy: null, again: null, words: null, spans: [{ from: hours(-2), until: null }] }
    const { user, bodies, asked } = open({ starts: outlook({ pauses: [pause] }), pauseStarts: { pause: 4 }, endPause: {} })
    expect(await screen.findByText('Nothing begins by itself in dev')).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Let starts begin' }))
    expect(asked.find(({ route }) => route === 'endPause')!.params).toEqual({ id: '3' })
    await user.click(screen.getAllByRole('button', { name: 'Pause' })[0]!)
    const dialog = await screen.findByRole('dialog')
    expect(within(dialog).getByRole('button', { name: 'Pause' })).toHaveProperty('disabled', true)
    await user.type(within(dialog).getByLabelText('why'), 'we move')
    await user.click(within(dialog).getByRole('button', { name: 'Pause' }))
    expect(bodies('pauseStarts')).toEqual([{ environment: 'dev', why: 'we move' }])
  })
  it('pauses again and again, and says when that is', async () => {
    const { user, bodies } = open({ pauseStarts: { pause: 4 } })
    await user.click((await screen.findAllByRole('button', { name: 'Pause' }))[0]!)
    const dialog = within(await screen.findByRole('dialog'))
    await user.type(dialog.getByLabelText('why'), 'upkeep')
    await user.click(dialog.getByLabelText('how often'))
    await user.click(await screen.findByRole('option', { name: 'again and again' }))
    await user.clear(dialog.getByLabelText('again begins'))
    await user.type(dialog.getByLabelText('again begins'), '0 3 * *')
    expect(await dialog.findByText(/has 4 fields/)).toBeTruthy()
    expect(dialog.getByRole('button', { name: 'Pause' })).toHaveProperty('disabled', true)
    await user.type(dialog.getByLabelText('again begins'), ' sat')
    await user.clear(dialog.getByLabelText('again zone'))
    await user.type(dialog.getByLabelText('again zone'), 'Europe/Oslo')
    expect(await dialog.findByText('at 03:00, only on Saturday, for 4 h, by the clock of Europe/Oslo')).toBeTruthy()
    expect(dialog.getAllByText(/03:00 . .*07:00$/)).toHaveLength(4)
    await user.click(dialog.getByRole('button', { name: 'Pause' }))
    expect(bodies('pauseStarts')).toEqual([{ environment: 'dev', again: { cron: '0 3 * * sat', zone: 'Europe/Oslo', lasts: 'PT4H' }, why: 'upkeep' }])
  })
  it('lets one go on this once that comes again, and ends it for good', async () => {
    const again = { cron: '0 2 * * sun', zone: 'UTC', lasts: 'PT4H' }
    const pause = { id: 3, environment: 'dev', job: null, start: null, from: hours(-99), until: null, why: 'upkeep', by: 'ana', endedBy: null, again, words: 'at 02:00, only on Sunday', spans: [{ from: hours(-1), until: hours(3) }, { from: hours(167), until: hours(171) }] }
    const { user, asked } = open({ starts: outlook({ pauses: [pause] }), endPause: {} })
    await user.click(await screen.findByRole('button', { name: 'Let starts begin this once' }))
    await user.click(screen.getByRole('button', { name: 'End it for good' }))
    // each of its spans is seen in the hours
    expect(document.querySelectorAll('svg title')[0]!.textContent).toMatch(/^paused by ana: upkeep, /)
    expect(asked.filter(({ route }) => route === 'endPause').map(({ query }) => query)).toEqual([{ once: 'true' }, {}])
  })
  it('says of a pause that comes again when it is not now: whose, when, and next', async () => {
    const again = { cron: '0 2 * * sun', zone: 'UTC', lasts: 'PT4H' }
    const pause = { id: 3, environment: 'dev', start: null, from: hours(-99), until: null, why: 'upkeep', by: 'ana', endedBy: null, again, words: 'at 02:00, only on Sunday', spans: [{ from: hours(167), until: hours(171) }] }
    open({ starts: outlook({ pauses: [{ ...pause, job: null }, { ...pause, id: 4, job: 'gauges' }] }) })
    expect((await screen.findAllByText(/pauses at 02:00, only on Sunday/)).map((one) => one.querySelector('b')!.textContent)).toEqual(['dev', 'Gauge readings'])
    expect(screen.queryByText('Nothing begins by itself in dev')).toBeNull()
    expect(screen.getAllByRole('button', { name: 'End it for good' })).toHaveLength(2)
  })
  it('goes on with the clock that starts go by, and not back with an answer that was kept', async () => {
    const first: string[] = []
    const { asked } = open({
      starts: ({ query }) => {
        first.push(query.from!)
        // what is asked first is of a day that is over by the clock of starts; the next answer is an old one
        return outlook({ at: query.from === first[0] ? hours(48) : hours(0) })
      },
    })
    expect(await screen.findByRole('button', { name: 'Gauge readings' })).toBeTruthy()
    await waitFor(() => expect(asked.filter(({ route }) => route === 'starts').length).toBeGreaterThan(1))
    expect(new Set(first).size).toBe(2)
    expect(await screen.findByRole('button', { name: 'Gauge readings' })).toBeTruthy()
  })
  it('says that other hours cannot be shown, and shows none in their place', async () => {
    let first = ''
    const { user } = open({ starts: ({ query }) => (query.from === (first ||= query.from!) ? outlook({ at: new Date().toISOString() }) : fault('request', 'no night is known of that day')()) })
    await user.click(await screen.findByRole('button', { name: 'the day after' }))
    expect(await screen.findByText(/no night is known of that day/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Gauge readings' })).toBeNull()
  })
  it.each(['days=1e300', 'days=x', 'days=0.5', 'days=-99999999'])('?%s is now', async (words) => {
    open({}, { at: `/?${words}`, path: '/' })
    expect(await screen.findByText(/the hours around now/)).toBeTruthy()
  })
  it('who may only look can neither pause nor move', async () => {
    open({}, { role: 'reader' })
    await screen.findByRole('button', { name: 'Gauge readings' })
    expect(screen.queryByRole('button', { name: 'Pause' })).toBeNull()
    expect(screen.queryByLabelText(/Alt and an arrow/)).toBeNull()
  })
  it('rehearses: what ends when, what will be late, and with other workers beside it', async () => {
    const late = outlook({ foreseen: [run('gauges', { due: hours(2.25) })] })
    const { bodies } = open({ playStarts: ({ body }) => ((body as { workers?: number }).workers ? { ...late, foreseen: [run('gauges', { ends: hours(2.2), due: hours(2.25) })] } : late) as never }, { at: '/?view=rehearsal', path: '/' })
    expect(await screen.findByText('1 will likely be late')).toBeTruthy()
    expect(screen.getByText('late by 15 min')).toBeTruthy()
    expect(await screen.findByText(/18 min sooner/)).toBeTruthy()
    expect(bodies('playStarts')).toContainEqual(expect.objectContaining({ workers: 12 }))
  })
  it('says of a run what it waits for, where nothing brings that', async () => {
    const stuck = outlook({ foreseen: [run('gauges', { run: 8, due: hours(2.25), ends: hours(26), stuck: '2026-11-24 of Lab results' })] })
    open({ starts: stuck, playStarts: stuck as never }, { at: '/?view=rehearsal', path: '/' })
    expect(await screen.findByText('waits for 2026-11-24 of Lab results')).toBeTruthy()
    expect(screen.getByText('not by itself')).toBeTruthy()
    const gone = outlook({ foreseen: [run('gauges', { run: 8, due: hours(2.25), ends: hours(2), stuck: '2026-11-24 of Lab results', givesUp: hours(2) })] })
    open({ starts: gone, playStarts: gone as never }, { at: '/?view=rehearsal', path: '/' })
    const words = await screen.findByText(/^fails .*: waits for 2026-11-24 of Lab results$/)
    expect(words.title).toMatch(/before it has waited as long as it may, .*: it fails then/)
    expect(screen.getByText('not by itself')).toBeTruthy()
  })
  it('rehearses with other caps of connections beside it, and says which loads wait for', async () => {
    const { bodies, user } = open({ playStarts: outlook({ capped: [{ connection: 'warehouse', from: hours(2), until: hours(2.5), waiting: 7 }] }) as never }, { at: '/?view=rehearsal', path: '/' })
    expect(await screen.findByText(/loads wait for warehouse, which takes 8 at once, during 30 min/)).toBeTruthy()
    const cap = screen.getByRole('spinbutton', { name: 'loads at warehouse at once' })
    await user.clear(cap)
    await user.type(cap, '6')
    await waitFor(() => expect(bodies('playStarts')).toContainEqual(expect.objectContaining({ workers: 12, caps: { warehouse: 6 } })))
  }) // prettier-ignore
  it('lists what was decided, and why', async () => {
    const occasion = { id: 1, job: 'gauges', title: 'Gauge readings', start: 'day', kind: 'clock', at: hours(-2), state: 'skipped', cause: 'at 05:50', why: 'run 8 of gauges goes on', from: null, to: null, decidedAt: hours(-2), begunAt: null, run: null, runState: null, plan: null } as const
    open({ occasions: { total: 1, occasions: [occasion] } }, { at: '/?view=decisions', path: '/' })
    expect(await screen.findByText('run 8 of gauges goes on')).toBeTruthy()
    expect(screen.getByText('left out')).toBeTruthy()
  })
  it('says what a start is where there is none, waits, and says what it cannot have', async () => {
    open({ starts: outlook({ jobs: [], foreseen: [], past: [] }) })
    expect(await screen.findByText(/Nothing begins by itself yet/)).toBeTruthy()
    open({ starts: never })
    expect(await screen.findByText(/looking ahead/)).toBeTruthy()
    open({ starts: fault('internal', 'the store does not answer') })
    expect(await screen.findByText(/the store does not answer/)).toBeTruthy()
  })
}) // prettier-ignore
