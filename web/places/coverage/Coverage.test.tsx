import { fireEvent, screen, within as inside } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, never, show, type Answers } from '../../testing/page'
import Coverage from './Coverage'
import { linesOf, nextGap, pickedByJob, pickKey, sliceAt, within, type CoverageJob, type CoverageRow, type RowLine } from './lines' // prettier-ignore

const day = 86_400_000
const today = Math.floor(Date.now() / day) * day
const iso = (daysAgo: number) => new Date(today - daysAgo * day).toISOString()
const slices = (n: number) =>
  Array.from({ length: n }, (_, at) => ({ from: iso(n - at), to: iso(n - at - 1), label: iso(n - at).slice(0, 10) })) // prettier-ignore
const row = (key: string, letters: string, more: Partial<CoverageRow> = {}): CoverageRow => ({
  part: 'bring', row: key, there: true, values: [key.split('_')[0]!], letters, rows: [...letters].map((letter) => ('LE'.includes(letter) ? 100 : 0)),
  rejected: [], gaps: [...letters].filter((letter) => 'FEMX'.includes(letter)).length, ...more,
}) // prettier-ignore
const job = (name: string, rows: CoverageRow[], more: Partial<CoverageJob> = {}): CoverageJob => ({
  job: name, title: `The ${name}`, zone: 'UTC', every: 'P1D', slices: slices(rows[0]?.letters.length ?? 0), parts: [], columns: ['kind'], rows, restatedFrom: null, trouble: null, without: null, ...more,
}) // prettier-ignore
const gauges = job('gauges', [row('flow_aldmere', 'LLMML', { rejected: [[1, 25]] }), row('flow_corrie', 'LLLLL'), row("o'hare", 'BBLFE')]) // prettier-ignore
const coverage = (jobs: CoverageJob[] = [gauges]) => ({ at: new Date().toISOString(), jobs })
const known = {
  loads: [{ id: 7, run: 12, state: 'done', at: iso(3), by: 'Ana', cause: 'by hand', read: 125, rows: 100, rejected: 25, message: null }],
  total: 3, usual: 90, files: [{ path: 'flow.csv', store: 'drop', size: 51_000, modified: iso(3), did: 'read' }], places: ['warehouse.raw.flow'],
  uses: [{ job: 'report', title: 'The report', run: 14, at: iso(2), place: 'warehouse.raw.flow', label: null }],
} // prettier-ignore
const open = async (answers: Answers = {}, more: { role?: 'reader'; at?: string } = {}) => {
  const page = await show(<Coverage />, { answers: { coverage: coverage(), slice: known, whySlice: { reasons: [] }, builtOn: { jobs: [] }, ...answers }, path: '/', ...more })
  if (answers.coverage !== never) await screen.findByRole('heading', { name: 'Coverage' })
  return page
} // prettier-ignore
const keys = (...pressed: (string | [string, object])[]) => {
  for (const key of pressed) {
    const [name, more] = typeof key === 'string' ? [key, {}] : key
    fireEvent.keyDown(screen.getByRole('grid'), { key: name, ...more })
  }
}

describe('the page of what is covered', () => {
  it('draws each row under its job, with what is missing of it', async () => {
    await open()
    const grid = screen.getByRole('grid', { name: 'what was loaded, row by row' })
    expect(inside(grid).getAllByRole('row')).toHaveLength(4)
    expect(screen.getByRole('link', { name: 'The gauges' }).getAttribute('href')).toBe('/jobs/gauges')
    expect(screen.getAllByText('4 slices missing or failed', { exact: false })).toHaveLength(2)
    expect(screen.getByRole('img', { name: 'flow_aldmere: 2 slices missing or failed' })).toBeTruthy()
  })
  it('is walked with the keys, each slice in words, to the next gap with n', async () => {
    await open()
    keys('n')
    const said = () => screen.getByRole('gridcell').getAttribute('aria-label')
    expect(said()).toBe(`flow_aldmere, ${iso(3).slice(0, 10)}: nothing loaded`)
    keys('ArrowLeft')
    expect(said()).toContain('loaded, 100 rows where 100 are usual, 25 rejected')
    keys('ArrowDown')
    expect(said()).toContain('flow_corrie')
    keys('End', 'n')
    expect(said()).toBe(`o'hare, ${iso(2).slice(0, 10)}: failed`)
    keys('n')
    expect(said()).toContain('loaded, and a later load failed')
    // what is before everything of a row is passed through, and nothing beyond its ends
    keys('Home', 'ArrowLeft')
    expect(said()).toContain('before anything of it was loaded')
  })
  it('says of a slice all that is known: loads, usual rows, files, and who read it since', async () => {
    const page = await open()
    keys('n', 'ArrowLeft')
    const panel = await screen.findByRole('region', { name: 'the slice' })
    await inside(panel).findByText('flow.csv')
    expect(panel.textContent).toContain('100 rows, as usual (90)')
    expect(panel.textContent).toContain('3 loads in all, of which 1 are still kept')
    expect(inside(panel).getByRole('link', { name: 'The report' }).getAttribute('href')).toBe('/runs/14')
    expect(page.asked.findLast(({ route }) => route === 'slice')?.query).toMatchObject({ job: 'gauges', part: 'bring', row: 'flow_aldmere', from: iso(4), label: iso(4).slice(0, 10) }) // prettier-ignore
  })
  it('picks a stretch with Shift and the arrows, one with x, and plans just that', async () => {
    const page = await open({ makePlan: { id: 31 } })
    keys('n', ['ArrowRight', { shiftKey: true }], ['ArrowDown', { shiftKey: true }])
    expect(screen.getByText('4 slices of 2 rows picked')).toBeTruthy()
    keys('Escape', 'n', 'x')
    expect(screen.getByText(/1 slice of o'hare picked/)).toBeTruthy()
    keys('Home', 'x', 'p')
    await screen.findByText('another page')
    expect(page.bodies('makePlan')[0]).toEqual({
      job: 'gauges', environment: 'dev',
      picks: [{ part: 'bring', row: "o'hare", from: iso(5), to: iso(4) }, { part: 'bring', row: "o'hare", from: iso(2), to: iso(1) }],
    }) // prettier-ignore
    expect(page.address()).toBe('/plans/31')
  })
  it('builds again what was built on it, in one go, unless that is not wanted', async () => {
    let plans = 30
    const jobs = [{ job: 'zones', title: 'Zone water', how: 'waits' as const, of: 'gauges', picks: [{ part: 'bring', row: 'a', from: iso(4), to: iso(3) }], loads: 1 }, { job: 'lake', title: 'Lake copy', how: 'read' as const, of: 'gauges', picks: null, loads: 0 }] // prettier-ignore
    const page = await open({ builtOn: { jobs }, makePlan: () => ({ id: ++plans }) })
    keys('n', 'x')
    await page.user.click(await screen.findByRole('button', { name: 'Plan 1 load + 2 rebuilds' }))
    await screen.findByText('another page')
    expect(page.address()).toBe('/plans/31?then=32,33')
    expect(page.bodies('makePlan').slice(1)).toEqual([{ job: 'zones', environment: 'dev', picks: jobs[0]!.picks }, { job: 'lake', environment: 'dev' }]) // prettier-ignore
  })
  it('leaves what was built on it where somebody says so', async () => {
    const page = await open({ builtOn: { jobs: [{ job: 'lake', title: 'Lake copy', how: 'read', of: 'gauges', picks: null, loads: 0 }] }, makePlan: { id: 31 } }) // prettier-ignore
    keys('n', 'x')
    await page.user.click(await screen.findByRole('checkbox', { name: /build again what was built on it/ }))
    await page.user.click(screen.getByRole('button', { name: 'Plan 1 load' }))
    await screen.findByText('another page')
    expect(page.address()).toBe('/plans/31')
  })
  it('is not planned by who may only look', async () => {
    await open({}, { role: 'reader' })
    keys('n', 'x', 'p')
    expect(screen.queryByRole('button', { name: /Plan/ })).toBeNull()
  })
  it('a plan that cannot be made says why', async () => {
    const page = await open({ makePlan: fault('slices', 'no whole slice lies in what was picked') })
    keys('n', 'x')
    await page.user.click(screen.getByRole('button', { name: /Plan 1 load/ }))
    expect(await screen.findByText(/no whole slice lies in what was picked/)).toBeTruthy()
  })
  it('is put together by a column, and shows only rows with gaps, or those that are looked for', async () => {
    const page = await open({}, { at: '/?by=kind&gaps=only' })
    expect(screen.getAllByRole('rowheader').map(({ textContent }) => textContent)).toEqual(['flow 1 row · 2 slices missing or failed', 'flow_aldmere2', "o'hare 1 row · 2 slices missing or failed", "o'hare2"]) // prettier-ignore
    await page.user.click(screen.getByRole('checkbox', { name: 'only gaps' }))
    expect(screen.getAllByRole('row')).toHaveLength(5)
    await page.user.type(screen.getByPlaceholderText('find a row'), 'corrie')
    expect(screen.getAllByRole('row')).toHaveLength(2)
    await page.user.type(screen.getByPlaceholderText('find a row'), 'xx')
    expect(screen.getByText('No row is called so.')).toBeTruthy()
  })
  it('says what it is for where no job goes through slices', async () => {
    await open({ coverage: coverage([]) })
    expect(screen.getByText(/No job goes through slices yet/)).toBeTruthy()
  })
  it('leads on from a job that has no slices', async () => {
    show(<Coverage />, {
      answers: { coverage: fault('unknown-name', 'there is no job "bills" with slices') },
      at: '/?job=bills',
      path: '/',
    })
    expect((await screen.findByRole('alert')).textContent).toContain('there is no job "bills" with slices')
    expect(screen.getByRole('link', { name: 'ledger' }).getAttribute('href')).toBe('/ledger?job=bills')
    expect(screen.getByRole('link', { name: 'Every job with slices' }).getAttribute('href')).toBe('/coverage')
  })
  it('says that nothing is missing', async () => {
    await open({ coverage: coverage([job('whole', [row('a', 'LL')])]) }, { at: '/?gaps=only' })
    expect(screen.getByText(/Nothing is missing/)).toBeTruthy()
  })
  it('says why a job is not drawn, and why its rows are not known', async () => {
    await open({ coverage: coverage([job('fine', [], { without: 'there are more than 1,500 slices' }), job('lost', [row('a', 'L')], { trouble: 'there is no control table' })]) }) // prettier-ignore
    expect(screen.getByText(/there are more than 1,500 slices/)).toBeTruthy()
    expect(screen.getByText(/those that were loaded; there is no control table/)).toBeTruthy()
  })
  it('says that it reads', async () => {
    await open({ coverage: never })
    expect(screen.getByText(/reading what was loaded/)).toBeTruthy()
  })
})

describe('the lines of the sheet', () => {
  const lines = linesOf([gauges], { by: '', gapsOnly: false, wanted: '' })
  const of = (line: number) => lines[line] as RowLine
  it('finds the slice that holds a time, or the nearest', () => {
    const times = { from: [0, 10, 30], to: [10, 20, 40] }
    expect([-5, 0, 9, 10, 25, 39, 99].map((time) => sliceAt(times, time))).toEqual([0, 0, 0, 1, 2, 2, 2])
    expect(sliceAt({ from: [], to: [] }, 5)).toBe(-1)
  })
  it('picks what lies in a rectangle, whichever corner it is drawn from', () => {
    const [a, b] = [{ line: 3, slice: 1 }, { line: 1, slice: 3 }] // prettier-ignore
    expect(within(lines, a, b)).toEqual(within(lines, b, a))
    expect(within(lines, a, b)).toHaveLength(9)
  })
  it('puts what is picked together as stretches of rows', () => {
    const [picked] = pickedByJob(lines, new Set([pickKey(of(1), 1), pickKey(of(1), 2), pickKey(of(1), 4), pickKey(of(2), 0)]))
    expect([picked!.slices, picked!.rows, picked!.stretches.length]).toEqual([4, 2, 3])
    expect(pickedByJob(lines, new Set())).toEqual([])
  }) // prettier-ignore
  it('goes from gap to gap, and round again', () => {
    let at = nextGap(lines, undefined)
    const seen: string[] = []
    for (let n = 0; n < 5; n++) {
      seen.push(`${at!.line}.${at!.slice}`)
      at = nextGap(lines, at)
    }
    expect(seen).toEqual(['1.2', '1.3', '3.3', '3.4', '1.2'])
    expect(nextGap(linesOf([job('whole', [row('a', 'LL')])], { by: '', gapsOnly: false, wanted: '' }), undefined)).toBeUndefined() // prettier-ignore
  })
})

describe('why a slice did not run', () => {
  const reason = (text: string, more: object = {}) => ({ code: 'waits' as const, text, run: null, load: null, plan: null, job: null, when: null, because: [], ...more }) // prettier-ignore
  it('is the chain of reasons, each a link to where it can be looked into', async () => {
    const page = await open({
      slice: { ...known, loads: [], total: 0, files: [], uses: [] },
      whySlice: {
        reasons: [
          reason('its load waits for the day of gauges', {
            run: 31, load: 9, when: { is: 'since', at: iso(1) },
            because: [reason('2 loads failed', { run: 30, because: [reason('the plan was left out', { plan: 5 })] }), reason('nothing begins it', { job: 'gauges' })],
          }),
          reason('no more is known'),
        ],
      },
    }) // prettier-ignore
    keys('n')
    const links = await screen.findAllByRole('link', { name: /load|plan|begins/ })
    expect(links.map((link) => link.getAttribute('href'))).toEqual(['/runs/31?load=9', '/runs/30', '/plans/5', '/jobs/gauges']) // prettier-ignore
    expect(screen.getByText(/· since/)).toBeTruthy()
    expect(screen.getByText('no more is known').closest('a')).toBeNull()
    expect(page.asked.find(({ route }) => route === 'whySlice')?.query).toMatchObject({ row: 'flow_aldmere', from: iso(3) }) // prettier-ignore
    // of one that is loaded nobody asks
    const before = page.asked.filter(({ route }) => route === 'whySlice').length
    keys('ArrowLeft')
    expect(page.asked.filter(({ route }) => route === 'whySlice')).toHaveLength(before)
  })
})
