import { screen, waitFor, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { outlineOf } from '../../../core/job/outline'
import { parseJob } from '../../../core/job/parse'
import { connection } from '../../testing/answers'
import { fault, show, type Answers, never } from '../../testing/page'
import Job from './Job'

const at = { at: '/jobs/readings', path: '/jobs/:name' }
const text = `mattock: job/1
name: readings
title: Readings
parts:
  - once:
      - {id: empty, sql: {on: warehouse, text: "truncate staging.reading"}}
  - each: {roster: {control: feeds}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.reading, write: append}
      - {id: look, log: {text: done}}
`
const checked = (of: string) => {
  const { job, faults, place } = parseJob(of)
  return {
    outline: job ? (structuredClone(outlineOf(job, place)) as never) : null,
    faults: faults.map(({ code, message, where }) => ({ code, message, where: { ...where } })),
  }
}
const job = (more: Partial<Answer<typeof routes.job>> = {}): Answer<typeof routes.job> => ({
  name: 'readings',
  version: 3,
  newest: 3,
  text,
  savedAt: '2026-11-20T10:00:00.000Z',
  savedBy: 'Ana',
  message: '',
  versions: [3, 2, 1].map((version) => ({ version, at: '2026-11-20T10:00:00.000Z', by: 'Ana', message: '' })),
  runsIn: [{ environment: 'dev', version: 3, by: 'Ana', at: '2026-11-20T10:00:00.000Z' }],
  outline: checked(text).outline!,
  newestSlice: null,
  ...more,
})
const resolved: Answer<typeof routes.resolveJob> = {
  rows: ['north'],
  rowCount: 1,
  row: 'north',
  rowValues: { file: 'north' },
  slice: null,
  slots: [
    { step: 'bring-in', path: 'transfer.from.files', kind: 'path', text: '{row.file}.csv', resolved: 'north.csv', values: null, later: false, rowless: false, found: [] },
  ],
  findings: [],
} // prettier-ignore
const answers = (more: Answers = {}): Answers => ({
  job: job(),
  connections: [connection(), connection({ name: 'drop', kind: 'files' })],
  controlTables: [],
  resolveJob: resolved,
  checkJob: ({ body }) => checked((body as { text: string }).text),
  jobEffect: { job: 'readings', title: 'Readings', slices: null, effect: null, fault: null, cut: null },
  tries: [],
  datasets: { total: 0, datasets: [] },
  ...more,
})
const step = (id: string) => screen.findByRole('button', { name: new RegExp(id) })

describe('a job', () => {
  it('is an outline of its parts and steps, with what the chosen step comes to', async () => {
    const page = show(<Job />, { ...at, answers: answers() })
    expect(await screen.findByText(/north\.csv/)).toBeTruthy()
    for (const words of ['empty', 'bring-in', 'look']) expect(page.text()).toContain(words)
    expect(page.text()).toContain('each rowfeeds4 at once')
    const [first] = page.bodies('resolveJob') as { part: number; text: string }[]
    expect(first).toMatchObject({ part: 1, text })
  })

  it('says which version runs here, and puts another one here for who may', async () => {
    const runsIn = [
      { environment: 'dev', version: 3, by: 'Ana', at: '2026-11-20T10:00:00.000Z' },
      { environment: 'live', version: 2, by: 'Bo', at: '2026-11-20T10:00:00.000Z' },
    ]
    const given = answers({ job: job({ runsIn }), putJob: {} })
    const page = show(<Job />, { ...at, environment: 'live', answers: given })
    expect((await screen.findByText('version 2')).getAttribute('href')).toBe('/jobs/readings?version=2')
    await page.user.click(screen.getByRole('button', { name: 'Put in live' }))
    await screen.findByText(/in place of version 2/)
    expect(page.bodies('putJob')).toEqual([])
    await page.user.click(screen.getByRole('button', { name: 'Put version 3' }))
    await screen.findByText('version 3 runs in live now')
    expect(page.bodies('putJob')).toEqual([{ version: 3 }])
    // who only runs things there sees it, and cannot
    show(<Job />, {
      ...at,
      environment: 'live',
      answers: given,
      role: 'engineer',
      elsewhere: { live: 'operator' },
    })
    await screen.findByText('version 2')
    expect(screen.queryByRole('button', { name: /Put in/ })).toBeNull()
  })

  it('says where it stays at another version when it is saved', async () => {
    const page = show(<Job />, {
      ...at,
      answers: answers({
        saveJob: {
          version: 4,
          stays: [
            { environment: 'live', version: 3 },
            { environment: 'new', version: null },
          ],
        },
      }),
    })
    await changeTitle(page)
    await page.user.click(screen.getByRole('button', { name: 'Save version 4' }))
    await screen.findByText('saved as version 4; live stays at version 3; it is not in new')
  })

  it('says which version it is, and which is the newest', async () => {
    show(<Job />, { ...at, at: '/jobs/readings?version=1', answers: answers({ job: job({ version: 1 }) }) })
    expect(await screen.findByText('version 1 of 3')).toBeTruthy()
    expect(screen.getByText(/an earlier version, saved/)).toBeTruthy()
  })

  it('goes on with what is half typed: it stays in its field, what is wrong is said below, and nothing is locked', async () => {
    const given = text.replace('parts:', 'starts:\n  - {id: night, clock: {cron: 30 5 * * *}}\nparts:')
    const page = show(<Job />, { ...at, answers: answers({ job: job({ text: given, outline: checked(given).outline! }), jobs: [], previewStarts: { starts: [] } }) })
    await page.user.click(await step('05:30'))
    const cron = () => screen.getByLabelText<HTMLInputElement>('start night clock at')
    await page.user.clear(cron())
    await page.user.type(cron(), '0 6')
    await waitFor(() => expect(screen.queryByRole('alert')?.textContent).toMatch(/^"0 6" has 2 fields/))
    expect(await screen.findByText(/line 5, cron: "0 6" has 2/)).toBeTruthy()
    expect(cron().value).toBe('0 6')
    expect(cron().disabled).toBe(false)
    await page.user.keyboard('{Control>}s{/Control}')
    expect(await screen.findByText(/^not saved: line 5, cron: "0 6" has 2/)).toBeTruthy()
    expect(page.bodies('saveJob')).toEqual([])
    await page.user.type(cron(), ' * * *')
    await waitFor(() => expect(screen.queryByRole('alert')).toBeNull())
    expect(cron().value).toBe('0 6 * * *')
  }) // prettier-ignore

  it('is begun by starts: each in words with its next times, added, changed and taken away', async () => {
    const preview = { id: 'start', kind: 'clock', text: 'at 05:30', zone: 'Europe/Oslo', next: [{ at: '2026-03-29T01:30:00.000Z', slice: '2026-03-28', change: 'forward' as const }], waitsFor: ['other'], unknown: ['other'], circle: ['readings', 'other', 'readings'] }
    const page = show(<Job />, { ...at, answers: answers({ jobs: [], previewStarts: ({ body }) => ({ starts: (body as { text: string }).text.includes('starts') ? [preview] : [] }) }) })
    await page.user.click(await step('begun by hand'))
    expect(await screen.findByText(/Its runs are begun by hand/)).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Add a start' }))
    expect(await screen.findByText(/clock set forward before/)).toBeTruthy()
    expect(screen.getByText(/there is no job other: it would never begin/)).toBeTruthy()
    expect(screen.getByText(/begin each other for ever: readings → other → readings/)).toBeTruthy()
    await page.user.clear(screen.getByLabelText('start start clock at'))
    await page.user.type(screen.getByLabelText('start start clock at'), '0 6 * * *')
    const last = () => (page.bodies('previewStarts').at(-1) as { text: string } | undefined)?.text
    await waitFor(() => expect(last()).toContain('cron: "0 6 * * *"'))
    await page.user.click(screen.getByRole('button', { name: 'take away' }))
    expect(await screen.findByText(/Its runs are begun by hand/)).toBeTruthy()
  }) // prettier-ignore

  it('says what another rule for slices makes of those that were loaded', async () => {
    const cut = { loaded: 60, stay: 10, parted: 0, cut: 50, outside: 0, fresh: null, example: { loaded: { from: '2026-11-01T00:00:00.000Z', to: '2026-11-02T00:00:00.000Z' }, meets: [{ from: '2026-10-30T00:00:00.000Z', to: '2026-11-06T00:00:00.000Z' }] } }
    const page = show(<Job />, { ...at, answers: answers({ jobEffect: { job: 'readings', title: 'Readings', slices: null, effect: null, fault: null, cut } }) })
    await changeTitle(page)
    expect(await screen.findByText(/of 60 loaded in dev 10 stay as they are, 50 are cut across; more than 100,000 are new/)).toBeTruthy()
    expect(screen.getByText(/would meet/)).toBeTruthy()
  }) // prettier-ignore

  it('is left unsaved only by one who says so', async () => {
    const page = show(<Job />, { ...at, answers: answers() })
    await changeTitle(page)
    page.go('/ledger')
    const dialog = await screen.findByRole('dialog', { name: 'Leave without saving?' })
    expect(dialog.textContent).toContain('What you changed in this job is not saved.')
    await page.user.click(within(dialog).getByRole('button', { name: 'Stay here' }))
    expect(page.address()).toBe('/jobs/readings')
    // a try keeps the text, so nobody is asked
    page.go('/tries/4')
    expect(page.address()).toBe('/tries/4')
  })

  it('that is not saved cannot be planned', async () => {
    const page = show(<Job />, { ...at, answers: answers() })
    await changeTitle(page)
    expect(screen.getByRole('button', { name: 'Plan' })).toHaveProperty('disabled', true)
  })

  it('is saved as the next version, made from the one that was opened', async () => {
    const page = show(<Job />, { ...at, answers: answers({ saveJob: { version: 4, stays: [] } }) })
    await changeTitle(page)
    await page.user.click(screen.getByRole('button', { name: 'Save version 4' }))
    const [body] = page.bodies('saveJob') as { text: string; base: number }[]
    expect(body!.base).toBe(3)
    expect(parseJob(body!.text).job!.title).toBe('Readings of all')
    // nothing else of the document is touched
    expect(body!.text).toBe(text.replace('title: Readings', 'title: "Readings of all"'))
    expect(await screen.findByText('saved as version 4')).toBeTruthy()
  })

  it('tells who saved meanwhile, and keeps what was typed', async () => {
    const conflict = fault('conflict', 'Ben saved version 4 meanwhile; yours was made from version 3')
    const page = show(<Job />, { ...at, answers: answers({ saveJob: conflict }) })
    await changeTitle(page)
    await page.user.click(screen.getByRole('button', { name: 'Save version 4' }))
    expect(await screen.findByText(/Ben saved version 4 meanwhile/)).toBeTruthy()
    expect(screen.getByText('version 3 · changed, not saved')).toBeTruthy()
  })

  it('is put back by undo, step by step', async () => {
    const page = show(<Job />, { ...at, answers: answers() })
    await changeTitle(page)
    await page.user.click(screen.getByRole('button', { name: 'Undo' }))
    expect(await screen.findByText('version 3')).toBeTruthy()
    await page.user.click(screen.getByRole('button', { name: 'Redo' }))
    expect(await screen.findByText('version 3 · changed, not saved')).toBeTruthy()
  })

  it('is gone on with after a try of what was not saved', async () => {
    const tried = text.replace('title: Readings', 'title: Tried')
    const page = show(<Job />, {
      ...at,
      at: '/jobs/readings?from=12',
      answers: answers({ tryDocument: { text: tried }, saveJob: { version: 4, stays: [] } }),
    })
    expect(await screen.findByText('version 3 · changed, not saved')).toBeTruthy()
    await page.user.click(await screen.findByRole('button', { name: 'Save version 4' }))
    expect((page.bodies('saveJob')[0] as { text: string }).text).toBe(tried)
    expect(page.address()).not.toContain('from=')
  })

  it('opens as it is saved where the try is gone', async () => {
    const page = show(<Job />, {
      ...at,
      at: '/jobs/readings?from=12',
      answers: answers({ tryDocument: fault('unknown-name', 'there is no try 12') }),
    })
    expect(await screen.findByText('version 3')).toBeTruthy()
    expect(page.text()).toContain('bring-in')
  })

  it('is a reader’s to read', async () => {
    show(<Job />, { ...at, role: 'reader', answers: answers() })
    await step('bring-in')
    expect(screen.queryByRole('button', { name: /Save|Undo|Try|Copy/ })).toBeNull()
    expect(screen.getByRole('button', { name: 'Plan' })).toBeTruthy()
  })

  it('that is not there names the nearest', async () => {
    show(<Job />, {
      ...at,
      answers: { job: fault('unknown-name', 'there is no job "readings"; did you mean "reading"?') },
    })
    expect(await screen.findByText(/did you mean "reading"/)).toBeTruthy()
  })
})

/** Changes the title in the form about the job. */
async function changeTitle(page: ReturnType<typeof show>): Promise<void> {
  await page.user.click(await screen.findByRole('button', { name: /about/ }))
  const title = await screen.findByRole('textbox', { name: 'job title' })
  // without a layout every pointer is over the divider of the panels, which takes it
  title.focus()
  await page.user.keyboard('{End} of all')
  await page.user.tab()
  await screen.findByText('version 3 · changed, not saved')
  expect(within(document.body).getByRole('button', { name: 'Save version 4' })).toBeTruthy()
}

describe('the order of a job', () => {
  const ordered = text.replace('- {id: look, log: {text: done}}', '- {id: look, after: [], log: {text: done}}\n      - {id: last, after: [bring-in, look], when: ended, log: {text: last}}') // prettier-ignore
  const open = () => show(<Job />, { ...at, answers: answers({ job: job({ text: ordered, outline: checked(ordered).outline! }) }) }) // prettier-ignore

  it('is said beside the steps that do not simply follow one another, and drawn below', async () => {
    const page = open()
    expect(await screen.findByText('begins at once')).toBeTruthy()
    expect(page.text()).toContain('after bring-in, look · whatever became of those before it')
    expect(screen.getByRole('img', { name: 'bring-in; look begins at once; last after bring-in, look · whatever became of those before it' })).toBeTruthy() // prettier-ignore
  })

  it('is not drawn where all follow one another', async () => {
    show(<Job />, { ...at, answers: answers() })
    await step('bring-in')
    expect(screen.queryByText('What waits for what')).toBe(null)
  })

  it('a whole part is moved by Alt and an arrow, with its steps, and stays chosen', async () => {
    const page = show(<Job />, { ...at, answers: answers({ previewRoster: never }) })
    const part = async (name: RegExp) => await screen.findByRole('button', { name })
    await page.user.click(await part(/^each row/))
    ;(await part(/^each row/)).focus()
    await page.user.keyboard('{Alt>}{ArrowUp}{/Alt}')
    // its steps come first now, and are counted so
    expect(await step('^1bring-in')).toBeTruthy()
    expect(await step('^3empty')).toBeTruthy()
    expect((await part(/^each row/)).getAttribute('aria-current')).toBe('true')
    // there is no place above the first
    await page.user.keyboard('{Alt>}{ArrowUp}{/Alt}')
    expect(await step('^1bring-in')).toBeTruthy()
    await waitFor(async () => expect(document.activeElement).toBe(await part(/^each row/)))
    await page.user.keyboard('{Alt>}{ArrowDown}{/Alt}')
    expect(await step('^1empty')).toBeTruthy()
  })

  it('is changed by Alt and an arrow, and by the form of the step', async () => {
    const page = open()
    await page.user.click(await step('^3look'))
    // in jsdom all lies at one place, and a press ends on the divider
    ;(await step('^3look')).focus()
    await page.user.keyboard('{Alt>}{ArrowLeft}{/Alt}')
    await waitFor(() => expect(screen.queryByText('begins at once')).toBe(null))
    expect((await screen.findByLabelText('what the step waits for')).textContent).toBe('the step before it')
    screen.getByLabelText('what the step waits for').focus()
    await page.user.keyboard('{Enter}')
    await page.user.keyboard('{ArrowDown}{Enter}')
    expect(await screen.findByText('begins at once')).toBeTruthy()
  })
})
