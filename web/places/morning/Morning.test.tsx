import { screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { fault, never, show, type Page, type Said } from '../../testing/page'
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
  people: ['Ana', 'Holm'],
  until: '2026-11-24T17:00:00.000Z',
  ahead: true,
  ...more,
})
const decision = (more: Partial<Sheet['decisions'][number]>): Sheet['decisions'][number] => ({
  kind: 'failed',
  key: `${more.kind ?? 'failed'} ${more.title ?? ''}`,
  quietUntil: null,
  givenTo: null,
  notes: [],
  title: 'Gauge readings: 3 loads failed the same way',
  text: 'permission denied; give the right',
  count: 3,
  run: 9,
  runs: [9],
  job: 'gauge-readings',
  connection: null,
  controls: [],
  latest: '2026-11-24T03:00:00.000Z',
  ...more,
})

const runsAsked = ({ asked }: Page, of: string) =>
  asked.filter(({ route }) => route === of).map(({ params }) => params.id)

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

  it('shows what has happened at once, and what is to come when it is worked out', async () => {
    let whole: () => Sheet | Said = never
    const morning = ({ query }: { query: Record<string, string> }) =>
      query.ahead === 'false' ? sheet({ ahead: false, decisions: [decision({})] }) : whole()
    show(<Morning />, { answers: { morning } })
    expect(await screen.findByText(/Gauge readings: 3 loads failed/)).toBeTruthy()
    expect(screen.getByText(/What is to come is being worked out/)).toBeTruthy()
    whole = () => sheet({ decisions: [decision({ title: 'Zones will likely be late' })] })
    show(<Morning />, { answers: { morning } })
    expect(await screen.findByText(/Zones will likely be late/)).toBeTruthy()
    expect(screen.queryByText(/is being worked out/)).toBeNull()
  })

  it('stays with what has happened where what is to come cannot be worked out, and says so', async () => {
    const morning = ({ query }: { query: Record<string, string> }) =>
      query.ahead === 'false'
        ? sheet({ ahead: false, decisions: [decision({})] })
        : fault('internal', 'it took more memory than it may')()
    show(<Morning />, { answers: { morning } })
    expect(await screen.findByText(/could not be worked out: it took more memory/)).toBeTruthy()
    expect(screen.getByText(/Gauge readings: 3 loads failed/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Try again' })).toBeTruthy()
  })

  it('opens the row of the one load that failed', async () => {
    const controls = [{ control: 'feeds', key: "d's & x" }, { control: 'areas', key: 'north' }]
    show(<Morning />, { answers: { morning: sheet({ decisions: [decision({ count: 1, controls })] }) } })
    const row = await screen.findByRole('link', { name: 'Open row' })
    expect(row.getAttribute('href')).toBe("/control/feeds?row=d's%20%26%20x")
  }) // prettier-ignore

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
    // where it is drawn, with why
    expect(within(notRun).getByRole('link', { name: 'See why' }).getAttribute('href')).toBe(
      '/coverage?job=rain-gauges',
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

  it('reruns all runs of a cause, the oldest first, each with a press of its own, but for one that is done by now', async () => {
    const page = show(<Morning />, {
      answers: {
        morning: sheet({ decisions: [decision({ run: 12, runs: [12, 9, 8] })] }),
        rerun: ({ params }) => (params.id === '9' ? fault('no-loads', 'every load of run 9 is done by now')() : { run: 100 + Number(params.id) }),
      },
    }) // prettier-ignore
    expect((await screen.findByRole('link', { name: 'See run 12' })).getAttribute('href')).toBe(
      '/runs/12?order=failed',
    )
    const button = screen.getByRole('button', { name: 'Rerun' })
    expect(button.getAttribute('title')).toBe('all that is not done in 3 runs')
    await page.user.click(button)
    expect(page.address()).toBe('/runs/112')
    expect(runsAsked(page, 'rerun')).toEqual(['8', '9', '12'])
    // two runs may be of one plan, of which a press begins one
    expect(new Set(page.bodies('rerun').map((body) => (body as { press: string }).press)).size).toBe(3)
  })

  it('asks again with the same presses where one of them was run before', async () => {
    let asked = 0
    const page = show(<Morning />, {
      answers: {
        morning: sheet({ decisions: [decision({ run: 12, runs: [12, 9] })] }),
        rerun: ({ params, body }) => {
          asked++
          return params.id === '12' && !(body as { again?: boolean }).again
            ? fault('already-started', 'run 13 is a rerun of run 12', { run: 13 })()
            : { run: 44 }
        },
      },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun' }))
    await page.user.click(await screen.findByRole('button', { name: 'Run once more' }))
    expect(page.address()).toBe('/runs/44')
    expect(asked).toBe(4)
    const presses = page.bodies('rerun').map((body) => (body as { press: string }).press)
    expect(presses.slice(2)).toEqual(presses.slice(0, 2))
  })

  it('sets aside what failed in all of them', async () => {
    const page = show(<Morning />, {
      answers: {
        morning: sheet({ decisions: [decision({ run: 12, runs: [12, 9] })] }),
        giveUpFailed: { loads: 2 },
      },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Set aside' }))
    const slip = await screen.findByRole('dialog')
    expect(within(slip).getByText(/What failed in runs 9, 12 counts as left out/)).toBeTruthy()
    await page.user.type(within(slip).getByRole('textbox', { name: 'why' }), 'the feed ended')
    await page.user.click(within(slip).getByRole('button', { name: 'Set aside' }))
    expect(await screen.findByText('4 loads set aside')).toBeTruthy()
    expect(runsAsked(page, 'giveUpFailed')).toEqual(['9', '12'])
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
      { job: 'rain-gauges', title: 'Rain gauges', runs: [], foreseen: [{ at: '2026-11-24T06:00:00.000Z', ends: '2026-11-24T06:40:00.000Z', due: '2026-11-24T06:30:00.000Z', late: true, unknown: false, stuck: null, givesUp: null }] },
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

describe('a matter', () => {
  const matter = decision({
    kind: 'stuck', title: 'Zone water: 6 loads wait for 2026-11-26 of gauges', run: 12,
    runs: [12], givenTo: 'Holm',
    notes: [{ by: 'Ana', text: 'gave it to Holm', at: '2026-11-24T04:00:00.000Z' }, { by: 'Holm', text: 'the depot sends it at nine', at: '2026-11-24T04:10:00.000Z' }],
  }) // prettier-ignore
  const quiet = decision({ kind: 'silence', title: 'Level: 2 loads have no rows', quietUntil: '2099-01-01T06:00:00.000Z', job: 'levels' }) // prettier-ignore
  it('lets what waits in vain go, with the reason', async () => {
    const page = show(<Morning />, {
      answers: { morning: sheet({ decisions: [matter] }), letGo: { loads: 6 } },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Let go' }))
    const slip = await screen.findByRole('dialog')
    expect(within(slip).getByText(/All loads of run 12 that wait begin/)).toBeTruthy()
    expect(within(slip).getByRole('button', { name: 'Let go' })).toHaveProperty('disabled', true)
    await page.user.type(within(slip).getByRole('textbox', { name: 'why' }), 'the gauge is gone')
    await page.user.click(within(slip).getByRole('button', { name: 'Let go' }))
    expect(page.bodies('letGo')).toEqual([{ why: 'the gauge is gone' }])
    expect(await screen.findByText('6 loads go without it')).toBeTruthy()
  })
  it('lets go of what waits in several runs', async () => {
    const page = show(<Morning />, {
      answers: { morning: sheet({ decisions: [{ ...matter, runs: [12, 9] }] }), letGo: { loads: 3 } },
    })
    await page.user.click(await screen.findByRole('button', { name: 'Let go' }))
    const slip = await screen.findByRole('dialog')
    expect(within(slip).getByText(/All loads of runs 9, 12 that wait begin/)).toBeTruthy()
    await page.user.type(within(slip).getByRole('textbox', { name: 'why' }), 'the gauge is gone')
    await page.user.click(within(slip).getByRole('button', { name: 'Let go' }))
    expect(await screen.findByText('6 loads go without it')).toBeTruthy()
    expect(runsAsked(page, 'letGo')).toEqual(['9', '12'])
  })
  it('sets aside what failed, with the reason, and says where nothing was left to', async () => {
    const failed = {
      ...matter,
      kind: 'failed' as const,
      key: 'failed gauges',
      title: 'Gauge readings: flow_a failed',
    }
    let loads = 1
    const page = show(<Morning />, {
      answers: { morning: sheet({ decisions: [failed] }), giveUpFailed: () => ({ loads: loads-- }) as never },
    })
    for (const said of ['1 load set aside', 'it goes on, or was run again meanwhile']) {
      await page.user.click(await screen.findByRole('button', { name: 'Set aside' }))
      const slip = await screen.findByRole('dialog')
      expect(within(slip).getByText(/what waits for its slices goes on without it/)).toBeTruthy()
      await page.user.type(within(slip).getByRole('textbox', { name: 'why' }), 'the mast fell')
      await page.user.click(within(slip).getByRole('button', { name: 'Set aside' }))
      expect(await screen.findByText(said)).toBeTruthy()
    }
    expect(page.bodies('giveUpFailed')).toEqual([{ why: 'the mast fell' }, { why: 'the mast fell' }])
  })
  it('offers a reader to set nothing aside', async () => {
    show(<Morning />, {
      answers: { morning: sheet({ decisions: [{ ...matter, kind: 'failed' }] }) },
      role: 'reader',
    })
    await screen.findByText(matter.title)
    expect(screen.queryByRole('button', { name: 'Set aside' })).toBeNull()
  })
  it('says who sees to it and what was last said; what is quiet is left out until one asks', async () => {
    const page = show(<Morning />, { answers: { morning: sheet({ decisions: [matter, quiet] }) } })
    expect(await screen.findByText(/the depot sends it at nine/)).toBeTruthy()
    expect(screen.getByText('Holm sees to it.', { exact: false })).toBeTruthy()
    expect(screen.getByText(/2 lines/)).toBeTruthy()
    expect(screen.queryByText(quiet.title)).toBeNull()
    await page.user.click(screen.getByRole('button', { name: '1 thing quiet' }))
    expect(screen.getByText(quiet.title)).toBeTruthy()
    expect(screen.getByRole('link', { name: 'See it covered' }).getAttribute('href')).toBe(
      '/coverage?job=levels',
    )
  })
  it('is noted, given and made quiet in one go; what is not touched stays', async () => {
    const page = show(<Morning />, { answers: { morning: sheet({ decisions: [matter] }), keepMatter: {} } })
    await page.user.click(await screen.findByRole('button', { name: /note, give or quiet/ }))
    const slip = screen.getByRole('dialog')
    expect(within(slip).getAllByRole('listitem')).toHaveLength(2)
    await page.user.type(within(slip).getByRole('textbox', { name: 'note' }), 'it came')
    await page.user.click(within(slip).getByRole('combobox', { name: 'quiet' }))
    expect(screen.queryByRole('option', { name: 'no longer' })).toBeNull()
    await page.user.click(screen.getByRole('option', { name: 'for an hour' }))
    await page.user.click(within(slip).getByRole('button', { name: 'Keep' }))
    const [body] = page.bodies('keepMatter') as { quietUntil: string }[]
    expect(body).toEqual({ environment: 'dev', key: matter.key, title: matter.title, note: 'it came', quietUntil: expect.any(String) as string }) // prettier-ignore
    expect(Date.parse(body!.quietUntil) - Date.now()).toBeGreaterThan(3_500_000)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
  })
  it('is given back, and no longer quiet; a fault is told and nothing is lost', async () => {
    const both = { ...matter, quietUntil: '2099-01-01T06:00:00.000Z' }
    const page = show(<Morning />, { answers: { morning: sheet({ decisions: [both] }), keepMatter: fault('request', 'say something') } }) // prettier-ignore
    await page.user.click(await screen.findByRole('button', { name: '1 thing quiet' }))
    await page.user.click(screen.getByRole('button', { name: /note, give or quiet/ }))
    const slip = screen.getByRole('dialog')
    await page.user.click(within(slip).getByRole('combobox', { name: 'who sees to it' }))
    await page.user.click(screen.getByRole('option', { name: 'nobody yet' }))
    await page.user.click(within(slip).getByRole('combobox', { name: 'quiet' }))
    await page.user.click(screen.getByRole('option', { name: 'no longer' }))
    await page.user.click(within(slip).getByRole('button', { name: 'Keep' }))
    expect(page.bodies('keepMatter')).toMatchObject([{ givenTo: null, quietUntil: null }])
    expect(await within(slip).findByText(/say something/)).toBeTruthy()
  })
  it('is only looked at by who may only look', async () => {
    show(<Morning />, { role: 'reader', answers: { morning: sheet({ decisions: [matter] }) } })
    await screen.findByText(/the depot sends it at nine/)
    expect(screen.queryByRole('button', { name: /note, give or quiet/ })).toBeNull()
  })
})
