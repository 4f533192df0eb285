import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { plan, planLoad } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import Plan from './Plan'

const at = { at: '/plans/70', path: '/plans/:id' }
type PlanAnswer = ReturnType<typeof plan>
const finding = (more: object): PlanAnswer['findings'][number] =>
  ({ code: 'no-file', level: 'look', message: 'flow_corrie: there is no file', where: { count: 1 }, loads: [1], ...more }) as never // prettier-ignore
const answers = (more: Answers = {}): Answers => ({
  plan: plan(),
  planLoads: { total: 2, loads: [planLoad(0, 'flow_corrie'), planLoad(1, 'flow_north')] },
  ...more,
})

describe('a plan', () => {
  it('says what is in it before it is run, and what is the same in all', async () => {
    const page = show(<Plan />, { ...at, answers: answers() })
    expect(await screen.findByText('flow_corrie')).toBeTruthy()
    expect(page.text()).toContain('nothing found against it')
    expect(page.text()).toContain('the same in all: into table raw.reading')
    expect(screen.getByRole('button', { name: 'Run 2 loads' })).toBeTruthy()
  })

  it('runs, and goes to the run', async () => {
    const page = show(<Plan />, { ...at, answers: answers({ startRun: { run: 9 } }) })
    await page.user.click(await screen.findByRole('button', { name: 'Run 2 loads' }))
    expect(page.bodies('startRun')).toEqual([{ plan: 70, press: expect.any(String) as string }])
    expect(page.address()).toBe('/runs/9')
  })

  it('of what was picked runs behind live work, in an order and with a cap that one chooses, and then what was built on it', async () => {
    const picks = [{ part: 'bring', row: 'a', from: '2026-11-01T00:00:00Z', to: '2026-11-03T00:00:00Z' }]
    const plans = ({ params }: { params: Record<string, string> }) =>
      params.id === '70' ? plan({ picks, span: '2026-11-01 … 2026-11-02' }) : plan({ id: Number(params.id), title: 'Zone water', loads: 6, stops: 1 }) // prettier-ignore
    const page = show(<Plan />, { at: '/plans/70?then=71,x', path: '/plans/:id', answers: answers({ plan: plans, startRun: { run: 9, then: [10] } }) }) // prettier-ignore
    expect((await screen.findByRole('link', { name: 'Zone water, plan 71' })).getAttribute('href')).toBe('/plans/71') // prettier-ignore
    expect(page.text()).toContain('picked: 1 stretch of 1 row, 2026-11-01 … 2026-11-02 in dev')
    expect(page.text()).toContain('(6 loads) 1 finding stops it')
    await page.user.click(screen.getByRole('combobox', { name: 'which slices go first' }))
    await page.user.click(screen.getByRole('option', { name: 'newest first' }))
    await page.user.click(screen.getByRole('combobox', { name: 'loads at once' }))
    await page.user.click(screen.getByRole('option', { name: '1 load at once' }))
    await page.user.click(screen.getByRole('button', { name: 'Run 2 loads + 1 job' }))
    expect(page.bodies('startRun')).toEqual([{ plan: 70, order: 'newest', atOnce: 1, behind: true, then: [71], press: expect.any(String) as string }]) // prettier-ignore
  })

  it('says by whom it was started before, and starts it again only by choice', async () => {
    const started = ({ body }: { body: unknown }) =>
      (body as { again?: boolean }).again
        ? { run: 10 }
        : fault('already-started', 'plan 70 was started as run 9 by Marek', { run: 9 })()
    const page = show(<Plan />, { ...at, answers: answers({ startRun: started }) })
    await page.user.click(await screen.findByRole('button', { name: 'Run 2 loads' }))
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('Plan 70 was started as run 9 by Marek (look at run 9)')
    expect(page.address()).toBe('/plans/70')
    await page.user.click(within(dialog).getByRole('button', { name: 'Run once more' }))
    expect(page.address()).toBe('/runs/10')
    const presses = page.bodies('startRun') as { press: string; again?: boolean }[]
    expect(presses.map(({ again }) => again)).toEqual([undefined, true])
  })

  it('asks before it runs where it is live, and not running is as near', async () => {
    const live = answers({ plan: plan({ environment: 'live' }), startRun: { run: 9 } })
    const page = show(<Plan />, { ...at, environment: 'live', answers: live })
    await page.user.click(await screen.findByRole('button', { name: 'Run 2 loads' }))
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('Run 2 loads in live?')
    expect(page.bodies('startRun')).toEqual([])
    await page.user.click(within(dialog).getByRole('button', { name: 'Leave it' }))
    expect(page.bodies('startRun')).toEqual([])
    await page.user.click(await screen.findByRole('button', { name: 'Run 2 loads' }))
    await page.user.click(within(await screen.findByRole('dialog')).getByRole('button', { name: 'Run' }))
    expect(page.address()).toBe('/runs/9')
  })

  it('does not run while something stops it, and says how many', async () => {
    const stops = [finding({ level: 'stop', code: 'target-clash', message: 'two loads write raw.reading' })]
    show(<Plan />, { ...at, answers: answers({ plan: plan({ stops: 1, findings: stops }) }) })
    expect(await screen.findByText('1 stops the run')).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Run 2 loads' })).toHaveProperty('disabled', true)
  })

  it('leaves out the loads that a stop is about', async () => {
    const stops = [finding({ level: 'stop', code: 'target-clash', message: 'two loads write raw.reading' })]
    const page = show(<Plan />, {
      ...at,
      answers: answers({ plan: plan({ stops: 1, findings: stops }), leaveOut: { changed: 1 } }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Leave out' }))
    expect(page.bodies('leaveOut')).toEqual([{ code: 'target-clash', left: true }])
  })

  it('shows the loads that a finding is about, and all again', async () => {
    const page = show(<Plan />, { ...at, answers: answers({ plan: plan({ findings: [finding({})] }) }) })
    const button = await screen.findByRole('button', { name: 'Show 1' })
    await page.user.click(button)
    expect(page.asked.filter(({ route }) => route === 'planLoads').at(-1)!.query.code).toBe('no-file')
    const [all] = await screen.findAllByRole('button', { name: 'Show all' })
    await page.user.click(all!)
    expect(await screen.findByRole('button', { name: 'Show 1' })).toBeTruthy()
    expect(page.text()).not.toContain('of 2 loads')
  })

  it('says the worst first and keeps the rest one press away', async () => {
    const codes = [
      'no-file',
      'empty-file',
      'many-files',
      'already-loaded',
      'over-cap',
      'slice-open',
      'parameter',
    ]
    const findings = codes.map((code, i) => finding({ code, message: `finding ${i}` }))
    const page = show(<Plan />, { ...at, answers: answers({ plan: plan({ findings }) }) })
    await screen.findByText(/finding 0/)
    expect(page.text()).not.toContain('finding 6')
    await page.user.click(screen.getByRole('button', { name: 'and 3 more' }))
    expect(page.text()).toContain('finding 6')
  })

  it('leads from a finding to its mend', async () => {
    const findings = [
      finding({ code: 'connection', level: 'stop', message: 'no settings', where: {}, mend: { label: 'Give it settings', open: 'connection', name: 'warehouse' } }),
      finding({ code: 'unknown-name', message: 'row.distrct does not exist', where: { path: 'parts.0.do.0' } }),
    ] // prettier-ignore
    show(<Plan />, { ...at, answers: answers({ plan: plan({ findings, stops: 1 }) }) })
    expect((await screen.findByRole('link', { name: 'Give it settings' })).getAttribute('href')).toBe(
      '/connections?open=warehouse',
    )
    expect(screen.getByRole('link', { name: 'Open the job' }).getAttribute('href')).toBe(
      '/jobs/gauge-readings?view=text',
    )
  })

  it('picks a load with x, moves with the arrows, opens with Enter', async () => {
    const page = show(<Plan />, {
      ...at,
      answers: answers({
        leaveOut: { changed: 1 },
        planLoad: { number: 1, part: 0, key: 'flow_north', row: { feed: 'flow_north' }, slice: null, left: false, files: null, steps: [], findings: [] },
      }),
    }) // prettier-ignore
    await screen.findByText('flow_north')
    screen.getByRole('grid').focus()
    await page.user.keyboard('{ArrowDown}x')
    expect(page.bodies('leaveOut')).toEqual([{ numbers: [1], left: true }])
    await page.user.keyboard('{Enter}')
    expect(page.address()).toContain('load=1')
  })

  it('is planned again with what it was asked with', async () => {
    const asked = plan({ parameters: { region: 'north' }, only: 'row.active', span: '2026-11-01/2026-11-03' })
    const page = show(<Plan />, { ...at, answers: answers({ plan: asked, makePlan: { id: 71 } }) })
    await screen.findByText('flow_corrie')
    await page.user.keyboard('p')
    expect(page.bodies('makePlan')).toEqual([
      { job: 'gauge-readings', environment: 'dev', parameters: { region: 'north' }, only: 'row.active', span: '2026-11-01/2026-11-03' },
    ]) // prettier-ignore
    expect(page.address()).toBe('/plans/71')
  })

  it('lets a reader look, and no more', async () => {
    const page = show(<Plan />, { ...at, role: 'reader', answers: answers({ plan: plan({ findings: [finding({ level: 'stop' })], stops: 1 }) }) }) // prettier-ignore
    await screen.findByText('flow_corrie')
    expect(screen.queryByRole('button', { name: /^Run|Leave/ })).toBeNull()
    screen.getByRole('grid').focus()
    await page.user.keyboard('x')
    expect(page.bodies('leaveOut')).toEqual([])
  })

  it('says why it could not be started, and stays', async () => {
    const page = show(<Plan />, {
      ...at,
      answers: answers({ startRun: fault('plan-stops', 'plan 70 has a stop by now') }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Run 2 loads' }))
    expect(await screen.findByText(/plan 70 has a stop by now/)).toBeTruthy()
    expect(page.address()).toBe('/plans/70')
  })

  it('of no loads says so', async () => {
    show(<Plan />, {
      ...at,
      answers: answers({ plan: plan({ loads: 0 }), planLoads: { total: 0, loads: [] } }),
    })
    expect(await screen.findByText(/The plan has no loads/)).toBeTruthy()
    expect(screen.getByRole('button', { name: 'Run 0 loads' })).toHaveProperty('disabled', true)
  })
})
