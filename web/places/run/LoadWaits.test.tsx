import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import { fault, show, type Answers } from '../../testing/page'
import { LoadWaits } from './LoadWaits'

const at = new Date().toISOString()
const need = (more: object) => ({ kind: 'slice' as const, met: null, job: 'gauges', title: 'Gauge readings', row: null, from: at, to: at, label: '2026-11-26', loads: { loaded: 0, failed: 0, underWay: 0 }, run: null, usual: null, step: null, dataset: null, after: null, store: null, pattern: null, marker: null, seen: [], ...more }) // prettier-ignore
const open = async (needs: ReturnType<typeof need>[], answers: Answers = {}) =>
  await show(<LoadWaits run={12} load={7} />, { answers: { loadWaits: { since: at, releasedAt: null, givesUpAt: null, gaveUp: false, needs }, ...answers } }) // prettier-ignore
const lines = () => screen.getAllByRole('listitem').map(({ textContent }) => textContent)

describe('what a load waits for', () => {
  it('is told one by one, with how it stands there and when it is usually there', async () => {
    await open([
      need({}),
      need({ row: "o'hare", run: 9, loads: { loaded: 1, failed: 0, underWay: 3 }, usual: at }),
      need({ run: 8, loads: { loaded: 1, failed: 2, underWay: 0 } }),
      need({ run: 7, loads: { loaded: 1, failed: 0, underWay: 0 } }),
      need({ kind: 'refresh', dataset: 'warehouse.raw.flow', after: at }),
      need({ kind: 'files', store: 'drop', pattern: 'a_*.csv', marker: '.done' }),
      need({ kind: 'files', store: 'drop', pattern: 'b.csv', seen: [{ path: 'b.csv', size: 12 }] }),
      need({ met: at }),
    ])
    await screen.findAllByRole('listitem')
    const said = lines()
    expect(said[0]).toBe('2026-11-26 of Gauge readings: no run has taken it up')
    expect(said[1]).toMatch(/, o'hare: run 9 is at it, 3 loads to go · usually there by/)
    expect(said[2]).toContain('2 loads failed in run 8')
    expect(said[3]).toContain('run 7 did only a part of it')
    expect(said[4]).toContain('a refresh of warehouse.raw.flow after')
    expect(said[5]).toBe('a_*.csv in drop, with its .done: has not come')
    expect(said[6]).toBe('b.csv in drop: b.csv is there, 12 B, and not whole yet')
    expect(said).toHaveLength(7)
    expect(screen.getByText(/1 of 8 things is there/)).toBeTruthy()
    expect(screen.getByRole('link', { name: '2 loads failed in run 8' }).getAttribute('href')).toBe('/runs/8')
  })
  it('names a few of many', async () => {
    await open(Array.from({ length: 30 }, () => need({})))
    await screen.findAllByRole('listitem')
    expect(lines()).toHaveLength(9)
    expect(lines()[8]).toBe('and 22 more')
  })
  it('says what went wrong', async () => {
    await open([], { loadWaits: fault('unknown-name', 'load 7 waits for nothing') })
    expect(await screen.findByText(/waits for nothing/)).toBeTruthy()
  })
})
