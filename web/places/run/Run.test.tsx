import { cleanup, screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { load, loadDetail, noRows, run, stepDetail } from '../../testing/answers'
import { fault, show, type Answers } from '../../testing/page'
import Run from './Run'

const at = { at: '/runs/7', path: '/runs/:id' }
const answers = (more: Answers = {}): Answers => ({
  run: run(),
  runLoads: { total: 1, loads: [load()] },
  runLoad: loadDetail({ detail: [stepDetail()] }),
  rerunOutlook: { loads: 2, steps: [] },
  ...more,
})

const part = (more: object) => ({ part: 0, id: null, title: 'make tables', steps: [], waits: [], when: 'done', hold: false, state: 'done' as const, passed: false, atOnce: 1, startedAt: null, endedAt: null, waiting: 0, running: 0, held: 0, done: 1, failed: 0, skipped: 0, stopped: 0, ...more }) // prettier-ignore

describe('a run', () => {
  it('has its balance at its head, as a sum that can be checked', async () => {
    const counts = { read: 1000, written: 900, unchanged: 60, rejected: 40, filtered: 0, merged: 0 }
    show(<Run />, { ...at, answers: answers({ run: run({ counts }) }) })
    const balance = await screen.findByRole('region', { name: 'balance' })
    expect(balance.textContent).toBe(
      '1,000 read=900 written+60 unchanged+40 rejected✓ balances for all 12 loads that are donecount againproof as JSON',
    )
  })

  it('says by how much it is off', async () => {
    const counts = { ...noRows, read: 1000, written: 990 }
    show(<Run />, { ...at, answers: answers({ run: run({ counts, unbalanced: 1 }) }) })
    expect(await screen.findByText('✗ 1 load does not balance: off by 10 rows')).toBeTruthy()
  })

  it('claims nothing while nothing is done', async () => {
    show(<Run />, {
      ...at,
      answers: answers({ run: run({ loads: { waiting: 12 }, counts: noRows, state: 'running' }) }),
    })
    expect(await screen.findByText('nothing is done yet')).toBeTruthy()
  })

  it('shows the first load until another is chosen, with its files, statements and row', async () => {
    const detail = stepDetail({
      files: [{ store: 'drop', path: 'flow_corrie_20261123.csv', size: 4096, modified: '2026-11-24T01:00:00.000Z', sha256: 'ab'.repeat(32), records: 100 }],
      statements: [{ on: 'warehouse', text: 'insert into raw.reading select 1', milliseconds: 12, rows: 100 }],
      log: ['one pass over the file'],
    }) // prettier-ignore
    const page = show(<Run />, { ...at, answers: answers({ runLoad: loadDetail({ detail: [detail] }) }) })
    const chosen = await screen.findByRole('region', { name: 'the chosen load' })
    expect(await within(chosen).findByText('feed flow_corrie, district corrie')).toBeTruthy()
    expect(chosen.textContent).toContain('4.1 kB, 100 records')
    expect(chosen.textContent).toContain(`sha256 ${'ab'.repeat(8)}…`)
    expect(chosen.textContent).toContain('one pass over the file')
    // the slice in the job’s own zone, wherever the reader is
    expect(chosen.textContent).toContain('23 Nov 00:00 – 24 Nov 00:00, Europe/Oslo')
    await page.user.click(within(chosen).getByRole('button', { name: '1 statement' }))
    expect(chosen.textContent).toContain('insert into raw.reading select 1')
  })

  it('says of a failed load what happened, what was written, what to do, with rows that show it', async () => {
    const failed = loadDetail({
      state: 'failed',
      error: { step: 'unique', code: 'check', message: '2 rows have the same meter', effect: 'nothing was written', advice: 'mend the source, then rerun', rows: [{ meter: 'a', n: 2 }, { meter: null, n: 3 }] },
    }) // prettier-ignore
    show(<Run />, { ...at, answers: answers({ runLoad: failed }) })
    const rows = await screen.findByRole('region', { name: 'rows that show it' })
    expect(rows.parentElement!.textContent).toContain(
      'Failed at unique2 rows have the same meter.nothing was written; mend the source, then rerun.',
    )
    expect(within(rows).getByText('empty')).toBeTruthy()
  })

  it('says which start began it, and what came after', async () => {
    const begunBy = { start: 'refreshed', cause: 'warehouse.raw.flow by run 4', why: 'begun 2 h late: nothing was there to begin it' }
    const cameAfter = [{ dataset: 'warehouse.raw.flow', run: 12, at: '2026-11-24T03:00:00.000Z' }]
    show(<Run />, { ...at, answers: answers({ run: run({ begunBy, cameAfter }) }) })
    expect((await screen.findByRole('link', { name: 'refreshed' })).getAttribute('title')).toContain('by run 4')
    expect(screen.getByText(/begun 2 h late/)).toBeTruthy()
    expect(screen.getByText(/warehouse.raw.flow was refreshed after it began/)).toBeTruthy()
    expect(screen.getByRole('link', { name: 'run 12' }).getAttribute('href')).toBe('/runs/12')
  }) // prettier-ignore

  it('groups failures by cause, and shows the loads of one', async () => {
    const causes = [
      { cause: 'denied', message: 'permission denied for table reading', step: 'bring-in', advice: 'give the right', loads: [1, 2], goesOn: false, count: 200 },
    ] // prettier-ignore
    const page = show(<Run />, {
      ...at,
      answers: answers({ run: run({ state: 'failed', causes, loads: { failed: 200 } }) }),
    })
    const why = await screen.findByRole('region', { name: /Why/ })
    expect(why.textContent).toContain('200 loads')
    await page.user.click(within(why).getByRole('button', { name: 'permission denied for table reading' }))
    expect(page.address()).toContain('cause=denied')
    expect(page.asked.filter(({ route }) => route === 'runLoads').at(-1)!.query.cause).toBe('denied')
    await page.user.click(within(why).getByRole('button', { name: 'permission denied for table reading' }))
    expect(page.address()).not.toContain('cause')
  })

  it('shows what failed first where something did', async () => {
    const page = show(<Run />, {
      ...at,
      answers: answers({ run: run({ state: 'failed', loads: { failed: 1 } }) }),
    })
    await screen.findByRole('region', { name: 'the chosen load' })
    expect(page.asked.find(({ route }) => route === 'runLoads')!.query.order).toBe('failed')
  })

  it('reruns what is not done, by button or by key', async () => {
    const failed = answers({
      run: run({ state: 'failed', loads: { done: 10, failed: 1, skipped: 1 } }),
      rerun: { run: 8 },
    })
    const page = show(<Run />, { ...at, answers: failed })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun the 2 not done' }))
    await page.user.click(await screen.findByRole('button', { name: 'Rerun 2 loads' }))
    expect(page.address()).toBe('/runs/8')
    expect(page.bodies('rerun')).toEqual([{ from: { failed: true }, press: expect.any(String) as string }])
    cleanup()
    const again = show(<Run />, { ...at, answers: failed })
    await screen.findByRole('button', { name: 'Rerun the 2 not done' })
    await again.user.keyboard('r')
    await screen.findByRole('button', { name: 'Rerun 2 loads' })
    await again.user.keyboard('{Enter}')
    expect(again.address()).toBe('/runs/8')
  })

  it('says before a rerun what is kept, what is done, and what would be there twice', async () => {
    const page = show(<Run />, {
      ...at,
      answers: answers({
        run: run({ state: 'failed', loads: { done: 10, failed: 2 }, parts: [part({ steps: ['stage', 'bring-in'] })] }),
        rerunOutlook: ({ body }) =>
          'from' in (body as object)
            ? { loads: 2, steps: [{ step: 'stage', kind: 'transfer', kept: 2, again: 0, twice: 0 }] }
            : { loads: 2, steps: [{ step: 'stage', kind: 'transfer', kept: 0, again: 2, twice: 2 }] },
        rerun: { run: 8 },
      }),
    }) // prettier-ignore
    await page.user.click(await screen.findByRole('button', { name: 'Rerun the 2 not done' }))
    const dialog = await screen.findByRole('dialog')
    expect((await within(dialog).findByText('stage', { selector: 'td' })).closest('tr')!.textContent).toBe(
      'stage2 loads',
    )
    expect(within(dialog).queryByText(/a second time/)).toBeNull()
    await page.user.click(within(dialog).getByRole('radio', { name: 'each from its first step' }))
    await within(dialog).findByText('Rows that stage wrote before would be there a second time.')
    await page.user.click(within(dialog).getByRole('button', { name: 'Rerun 2 loads' }))
    expect(page.bodies('rerun')).toEqual([{ press: expect.any(String) as string }])
  })

  it('plans them anew, and tells of those that the job has no more', async () => {
    const state = 'failed' as const
    const page = show(<Run />, {
      ...at,
      answers: answers({
        run: run({ state, loads: { failed: 2 } }),
        runLoad: loadDetail({ state, id: 501, number: 17 }),
        planAnew: { id: 44, loads: 1, missing: ['flow_corrie · 2026-11-23'] },
      }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun this load' }))
    await page.user.click(await screen.findByRole('button', { name: 'Plan them anew' }))
    expect(page.bodies('planAnew')).toEqual([{ loads: [501] }])
    expect(page.address()).toBe('/plans/44')
  })

  it('stays where it cannot be planned anew, and says why', async () => {
    const page = show(<Run />, {
      ...at,
      answers: answers({ run: run({ state: 'failed', loads: { failed: 2 } }), planAnew: fault('slices', 'no whole slice of P1D lies in what was picked') }),
    }) // prettier-ignore
    await page.user.click(await screen.findByRole('button', { name: 'Rerun the 2 not done' }))
    await page.user.click(await screen.findByRole('button', { name: 'Plan them anew' }))
    expect(await screen.findByText(/no whole slice of P1D/)).toBeTruthy()
    expect(page.bodies('planAnew')).toEqual([{}])
    expect(page.address()).toBe('/runs/7')
  })

  it('reruns one load by its id', async () => {
    const state = 'failed' as const
    const page = show(<Run />, {
      ...at,
      answers: answers({
        run: run({ state, loads: { failed: 1 } }),
        runLoad: loadDetail({ state, id: 501, number: 17 }),
        rerun: { run: 8 },
      }),
    })
    await page.user.click(await screen.findByRole('button', { name: 'Rerun this load' }))
    await page.user.click(await screen.findByRole('button', { name: 'Rerun 2 loads' }))
    expect(page.bodies('rerun')).toEqual([
      { loads: [501], from: { failed: true }, press: expect.any(String) as string },
    ])
  })

  it('stops a run that is going, once', async () => {
    const going = run({ state: 'running', endedAt: null, loads: { running: 2, waiting: 10 } })
    const page = show(<Run />, { ...at, answers: answers({ run: going, stopRun: {} }) })
    await page.user.click(await screen.findByRole('button', { name: 'Stop' }))
    expect(page.bodies('stopRun')).toHaveLength(1)
    show(<Run />, { ...at, answers: answers({ run: { ...going, stopping: true } }) })
    expect(await screen.findByRole('button', { name: 'Stopping' })).toHaveProperty('disabled', true)
  })

  it('shows its parts in their order, how each stands, and what each waits for', async () => {
    const parts = [
      part({}),
      part({ part: 1, title: 'levels', waits: [0], state: 'failed', done: 38, failed: 2 }),
      part({ part: 2, title: 'rain', waits: [0], state: 'running', done: 0, running: 2 }),
      part({ part: 3, title: 'tell', waits: [1, 2], state: 'waiting', done: 0, waiting: 1 }),
      part({ part: 4, title: 'mend', waits: [3], state: 'skipped', passed: true, done: 0, skipped: 1 }),
    ]
    show(<Run />, { ...at, answers: answers({ run: run({ state: 'running', endedAt: null, parts }) }) })
    const list = within(await screen.findByRole('region', { name: 'parts' }))
    expect(list.getAllByRole('listitem').map(({ textContent }) => textContent)).toEqual([
      'make tables done',
      'levels 38 of 40 loads done, 2 failed',
      'rain running · after make tables',
      'tell waiting · after levels, rain',
      'mend not needed',
    ])
  })

  it('is held, says by whom, and goes on when told', async () => {
    const going = run({ state: 'running', endedAt: null, loads: { running: 2, ready: 10 } })
    const page = show(<Run />, { ...at, answers: answers({ run: going, holdRun: {}, putFirst: { loads: 0 } }) })
    await page.user.click(await screen.findByRole('button', { name: 'Hold' }))
    await page.user.click(screen.getByRole('button', { name: 'Put first' }))
    expect(page.bodies('holdRun')).toHaveLength(1)
    expect(page.bodies('putFirst')).toEqual([{}])
    expect(screen.queryByRole('button', { name: 'Go on' })).toBe(null)
    cleanup()
    const held = show(<Run />, { ...at, answers: answers({ run: { ...going, state: 'held', heldBy: 'Ana' }, goOn: {} }) })
    expect(await screen.findByText(/held by Ana/)).toBeTruthy()
    await held.user.click(screen.getByRole('button', { name: 'Go on' }))
    expect(held.bodies('goOn')).toEqual([{}])
  }) // prettier-ignore

  it('says of picked loads what it will do, for how many, and does it for these', async () => {
    const loads = [
      load({ id: 1, key: 'a', state: 'done' }),
      load({ id: 2, key: 'b', state: 'ready', startedAt: null, endedAt: null }),
      load({ id: 3, key: 'c', state: 'waiting', startedAt: null, endedAt: null }),
      load({ id: 4, key: 'd', state: 'held' }),
    ]
    const going = run({ state: 'running', endedAt: null })
    const page = show(<Run />, {
      ...at,
      answers: answers({ run: going, runLoads: { total: 4, loads }, putFirst: { loads: 2 }, setAside: { loads: 3 }, letGo: { loads: 1 }, goOn: {} }),
    }) // prettier-ignore
    const act = async (button: string) => {
      await page.user.click(await screen.findByRole('button', { name: 'Pick all' }))
      await page.user.click(await screen.findByRole('button', { name: button }))
    }
    await act('Put 2 first')
    await act('Let 1 go on')
    await act('Set 3 aside')
    await page.user.click(await screen.findByRole('button', { name: 'Set aside' }))
    await act('Let 1 go now')
    await page.user.type(await screen.findByLabelText('Why'), 'its table is there')
    await page.user.click(screen.getByRole('button', { name: 'Let go' }))
    expect(page.bodies('putFirst')).toEqual([{ loads: [2, 3] }])
    expect(page.bodies('goOn')).toEqual([{ loads: [4] }])
    expect(page.bodies('setAside')).toEqual([{ loads: [2, 3, 4] }])
    expect(page.bodies('letGo')).toEqual([{ loads: [3], why: 'its table is there' }])
  })

  it('reruns the picked ones of a run that is over, and says so where there is nothing to do', async () => {
    const loads = [load({ id: 1, key: 'a', state: 'done' }), load({ id: 2, key: 'b', state: 'failed' })]
    const page = show(<Run />, {
      ...at,
      answers: answers({ run: run({ state: 'failed' }), runLoads: { total: 2, loads }, rerun: { run: 8 } }),
    })
    await page.user.click(await screen.findByRole('checkbox', { name: 'pick a' }))
    expect(await screen.findByText('all of them are done')).toBeTruthy()
    await page.user.click(screen.getByRole('checkbox', { name: 'pick b' }))
    await page.user.click(await screen.findByRole('button', { name: 'Rerun 1' }))
    await page.user.click(await screen.findByRole('button', { name: 'Rerun 2 loads' }))
    expect(page.bodies('rerun')).toEqual([
      { loads: [1, 2], from: { failed: true }, press: expect.any(String) as string },
    ])
  })

  it('gives a reader no button that changes anything', async () => {
    const failed = run({ state: 'failed', loads: { failed: 2 } })
    const page = show(<Run />, {
      ...at,
      role: 'reader',
      answers: answers({ run: failed, runLoad: loadDetail({ state: 'failed' }) }),
    })
    await screen.findByRole('region', { name: 'the chosen load' })
    await page.user.keyboard('r')
    expect(screen.queryByRole('button', { name: /Rerun|Stop/ })).toBeNull()
    expect(page.bodies('rerun')).toEqual([])
  })

  it('shows rejects with line, reason and raw text', async () => {
    const detail = stepDetail({ hasRejects: true, rejected: 2, rejectReasons: { 'is no whole number': 2 } })
    show(<Run />, {
      ...at,
      answers: answers({
        runLoad: loadDetail({ rejected: 2, detail: [detail] }),
        rejects: { total: 2, rows: [{ at: 0, file: 'a.csv', line: 3, column: 'value', reason: 'is no whole number', raw: 'd,<b>many</b>' }] },
      }),
    }) // prettier-ignore
    const rejected = await screen.findByRole('region', { name: 'rejected rows' })
    expect(await within(rejected).findByText('value: is no whole number')).toBeTruthy()
    // markup in a file is text
    expect(within(rejected).getByText('d,<b>many</b>')).toBeTruthy()
    expect(within(rejected).getByRole('link', { name: 'take out as CSV' }).getAttribute('href')).toBe(
      '/api/runs/7/loads/501/rejects.csv?step=bring-in',
    )
  })

  it('that is not there says so', async () => {
    show(<Run />, { ...at, answers: { run: fault('unknown-name', 'there is no run 7') } })
    expect(await screen.findByText(/there is no run 7/)).toBeTruthy()
  })

  it('of which no load fits what is looked for says so', async () => {
    const page = show(<Run />, { ...at, answers: answers({ runLoads: { total: 0, loads: [] } }) })
    await page.user.type(await screen.findByLabelText('find a load'), 'zz')
    expect(await screen.findByText('No load fits.')).toBeTruthy()
    expect(page.asked.filter(({ route }) => route === 'runLoads').at(-1)!.query.search).toBe('zz')
  })
})
